// The stave that the clip in focus stands on: its neighbours around it, loudness upwards, the clip to be dragged.

import { RATE_HZ, signed } from "../lib/units.js";
import { fitCanvas, sizeOf } from "../lib/canvas.js";
import { rowOf } from "./model.js";
import { kindOf } from "../lib/roles.js";

const ABOVE_LU = 12;
const BELOW_LU = 18;
const FLOOR_TENTHS = -1000;
const LEFT = 34;

export function newStrip({ canvas, model, api, url, theme, actions, position }) {
  let contours = null;
  let asked = 0;
  let view = { from: 0, to: RATE_HZ * 30 };
  let drag = null;
  let marking = null; // where a range began that is being marked

  const size = sizeOf(canvas, () => paint());
  const width = () => size.width;
  const height = () => size.height;
  const x = (sample) => LEFT + ((sample - view.from) / (view.to - view.from)) * (width() - LEFT);
  const pxPerLu = () => height() / (ABOVE_LU + BELOW_LU);

  function follow() {
    const row = rowOf(model, model.focusId);
    if (!row) return;
    const margin = Math.max(RATE_HZ * 4, row.length_samples * 0.5);
    view = {
      from: Math.max(0, Math.round(row.start_sample - margin)),
      to: Math.round(row.start_sample + row.length_samples + margin),
    };
    load();
  }

  async function load() {
    asked += 1;
    const mine = asked;
    try {
      const found = await api.get(
        `${url}?start=${view.from}&end=${view.to}&points=${Math.max(100, Math.round(width()))}`,
      );
      if (mine === asked) {
        contours = found;
        paint();
      }
    } catch {
      /* the strip stays as it was; the page says what failed */
    }
  }

  function paint() {
    const context = fitCanvas(canvas, width(), height());
    context.clearRect(0, 0, width(), height());
    const focus = rowOf(model, model.focusId);
    if (!focus) return;
    const y = (lufs) => (focus.aim_lufs + ABOVE_LU - lufs) * pxPerLu();
    context.font = '10px "Spline Sans Mono", monospace';
    for (let lu = 6; lu >= -12; lu -= 6) {
      context.fillStyle = lu === 0 ? theme[kindOf(focus.role)] : theme.rule;
      context.fillRect(LEFT, Math.round(y(focus.aim_lufs + lu)), width() - LEFT, lu === 0 ? 1.5 : 1);
      context.fillStyle = lu === 0 ? theme[kindOf(focus.role)] : theme.faint;
      context.fillText(signed(focus.aim_lufs + lu, 0), 4, y(focus.aim_lufs + lu) + 3.5);
    }
    for (const row of model.state.clips) {
      if (row.role !== focus.role || row.start_sample > view.to || row.start_sample + row.length_samples < view.from)
        continue;
      const isFocus = row.id === focus.id;
      const [left, right] = [Math.max(LEFT, x(row.start_sample)), x(row.start_sample + row.length_samples)];
      const found = contours && contours.clips[row.id];
      const lift = isFocus && drag ? drag.db : 0;
      if (found) {
        context.beginPath();
        context.moveTo(left, height());
        found.tenths.forEach((tenths, i) => {
          const at = x(found.from_sample + i * contours.step_samples);
          if (at >= left && at <= right)
            context.lineTo(at, Math.min(height(), tenths <= FLOOR_TENTHS ? height() : y(tenths / 10 + lift)));
        });
        context.lineTo(right, height());
        context.closePath();
        context.globalAlpha = isFocus ? 0.85 : 0.35;
        context.fillStyle = theme[kindOf(row.role)];
        context.fill();
        context.globalAlpha = 1;
      }
      context.strokeStyle = isFocus ? theme.ink : theme.edge;
      context.lineWidth = isFocus ? 1.5 : 1;
      context.strokeRect(left + 0.5, 1, right - left - 1, height() - 2);
      context.fillStyle = theme.ink;
      context.save();
      context.beginPath();
      context.rect(left, 0, Math.max(0, right - left - 4), 16);
      context.clip();
      context.font = `${isFocus ? 600 : 400} 11px "Public Sans", sans-serif`;
      context.fillText(isFocus && drag ? `${row.name}  ${signed(row.gain_db + drag.db)} dB` : row.name, left + 5, 13);
      context.restore();
      context.font = '10px "Spline Sans Mono", monospace';
    }
    if (model.marked) {
      context.fillStyle = theme.brass;
      context.globalAlpha = 0.25;
      const [left, right] = model.marked.map((sample) => Math.min(width(), Math.max(LEFT, x(sample))));
      context.fillRect(left, 0, right - left, height());
      context.globalAlpha = 1;
    }
    const head = x(position());
    if (head > LEFT && head < width()) {
      context.fillStyle = theme.over;
      context.fillRect(head, 0, 1.5, height());
    }
  }

  const sampleOf = (event) => view.from + ((event.offsetX - LEFT) / (width() - LEFT)) * (view.to - view.from);
  canvas.addEventListener("pointerdown", (event) => {
    const sample = sampleOf(event);
    if (event.altKey) {
      marking = Math.max(0, Math.round(sample));
      canvas.setPointerCapture(event.pointerId);
      return;
    }
    const focus = rowOf(model, model.focusId);
    const row = model.state.clips.find(
      (one) =>
        focus &&
        one.role === focus.role &&
        sample >= one.start_sample &&
        sample < one.start_sample + one.length_samples,
    );
    if (!row) {
      actions.seek(Math.max(0, Math.round(sample)));
      return;
    }
    if (row.id !== model.focusId) {
      actions.choose(row.id, {});
      return;
    }
    drag = { id: row.id, y: event.clientY, db: 0, sample };
    canvas.setPointerCapture(event.pointerId);
  });
  canvas.addEventListener("pointermove", (event) => {
    if (marking !== null) {
      const sample = Math.max(0, Math.round(sampleOf(event)));
      if (Math.abs(sample - marking) > 480) actions.markRange([marking, sample].sort((a, b) => a - b));
    }
    if (!drag) return;
    drag.db = Math.round(((drag.y - event.clientY) / pxPerLu()) * (event.shiftKey ? 1 : 2)) / (event.shiftKey ? 10 : 2);
    paint();
  });
  const drop = () => {
    marking = null;
    if (!drag) return;
    const { id, db, sample } = drag;
    drag = null;
    if (db) actions.lift(id, db);
    else {
      actions.seek(Math.max(0, Math.round(sample)));
      paint();
    }
  };
  canvas.addEventListener("pointerup", drop);
  canvas.addEventListener("pointercancel", () => {
    drag = null;
    marking = null;
    paint();
  });
  return { follow, paint, load };
}
