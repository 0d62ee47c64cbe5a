// Loudness of every stem around the playhead, the lane of lost words, and the lane of captions, whose edges can be dragged.

import { fitCanvas, sizeOf } from "../lib/canvas.js";
import { kindOf } from "../lib/roles.js";
import { tickStepS } from "../lib/ticks.js";
import { RATE_HZ, clock } from "../lib/units.js";
import { lostRanges } from "./model.js";

const LEFT = 12;
const RULER = 20;
const LOST = 26;
const CAPTIONS = 74;
const ABOVE_LU = 10;
const BELOW_LU = 24;
const EDGE_PX = 7;
const LEAST_SAMPLES = 1920;

export function newStaves({ canvas, model, theme, actions }) {
  const size = sizeOf(canvas, () => {
    paint();
    actions.viewMoved();
  });
  const x = (sample) =>
    LEFT + ((sample - model.view.start) / (model.view.end - model.view.start)) * (size.width - LEFT * 2);
  const sampleAt = (px) =>
    model.view.start + ((px - LEFT) / (size.width - LEFT * 2)) * (model.view.end - model.view.start);
  const rows = () => model.state.staves.filter((stave) => stave.clips.length);
  const lanesTop = () => size.height - LOST - CAPTIONS;

  function paint() {
    const context = fitCanvas(canvas, size.width, size.height);
    context.fillStyle = theme.paper;
    context.fillRect(0, 0, size.width, size.height);
    paintRuler(context);
    const all = rows();
    const height = (lanesTop() - RULER) / Math.max(1, all.length);
    all.forEach((stave, at) => paintStave(context, stave, RULER + at * height, height));
    paintLost(context);
    paintCaptions(context);
    paintHead(context);
  }

  function paintRuler(context) {
    context.font = '10px "Spline Sans Mono", monospace';
    const step = RATE_HZ * tickStepS((model.view.end - model.view.start) / RATE_HZ, size.width / 80, 1);
    for (let at = Math.ceil(model.view.start / step) * step; at < model.view.end; at += step) {
      context.fillStyle = theme.edge;
      context.fillRect(Math.round(x(at)), 0, 1, lanesTop());
      context.fillStyle = theme.soft;
      context.fillText(clock(at), x(at) + 4, 12);
    }
  }

  function paintStave(context, stave, top, height) {
    const colour = theme[kindOf(stave.id)];
    const y = (lufs) => top + ((stave.aim_lufs + ABOVE_LU - lufs) / (ABOVE_LU + BELOW_LU)) * (height - 6);
    const bottom = top + height - 6;
    context.fillStyle = colour;
    context.globalAlpha = 0.5;
    context.fillRect(LEFT, Math.round(y(stave.aim_lufs)), size.width - LEFT * 2, 1);
    context.globalAlpha = 1;
    for (const clip of stave.clips) {
      const found = model.contours?.clips[clip.id];
      if (!found || clip.to < model.view.start || clip.from > model.view.end) continue;
      context.beginPath();
      const [left, right] = [Math.max(LEFT, x(clip.from)), Math.min(size.width - LEFT, x(clip.to))];
      context.moveTo(left, bottom);
      found.tenths.forEach((tenths, i) => {
        const at = x(found.from_sample + i * model.contours.step_samples);
        if (at >= left && at <= right) context.lineTo(at, Math.max(top, Math.min(bottom, y(tenths / 10))));
      });
      context.lineTo(right, bottom);
      context.closePath();
      context.globalAlpha = 0.22;
      context.fill();
      context.globalAlpha = 1;
      context.strokeStyle = colour;
      context.lineWidth = 1.2;
      context.stroke();
    }
    context.font = '600 11px "Public Sans", sans-serif';
    context.fillStyle = theme.paper;
    context.globalAlpha = 0.8;
    context.fillRect(LEFT - 2, top + 1, context.measureText(stave.name).width + 6, 13);
    context.globalAlpha = 1;
    context.fillStyle = colour;
    context.fillText(stave.name, LEFT, top + 11);
  }

  function paintLost(context) {
    const top = lanesTop();
    context.fillStyle = theme.sheet;
    context.fillRect(0, top, size.width, LOST + CAPTIONS);
    context.fillStyle = theme.edge;
    context.fillRect(0, top, size.width, 1);
    context.font = '600 11px "Public Sans", sans-serif';
    context.fillStyle = theme.ink;
    context.fillText("Lost", LEFT, top + 12);
    context.fillStyle = theme.over;
    for (const [from, to] of lostRanges(model.state)) {
      if (to < model.view.start || from > model.view.end) continue;
      const left = x(from);
      context.fillRect(left, top + 15, Math.max(3, x(to) - left), 8);
    }
  }

  const drawn = (row) => (model.drag?.id === row.id ? model.drag : row);

  function paintCaptions(context) {
    const top = size.height - CAPTIONS;
    context.fillStyle = theme.edge;
    context.fillRect(0, top, size.width, 1);
    if (!model.state.captions.length) {
      context.font = '600 11px "Public Sans", sans-serif';
      context.fillStyle = theme.ink;
      context.fillText("Captions", LEFT, top + 14);
    }
    for (const row of model.state.captions) {
      const { from, to } = drawn(row);
      if (to < model.view.start || from > model.view.end) continue;
      const [left, wide] = [x(from), x(to) - x(from)];
      context.fillStyle = theme.raised;
      context.fillRect(left, top + 6, wide, CAPTIONS - 12);
      context.strokeStyle = row.broken.length ? theme.over : row.id === model.caption ? theme.ink : theme.edge;
      context.lineWidth = row.id === model.caption ? 2 : 1;
      context.strokeRect(left + 0.5, top + 6.5, wide - 1, CAPTIONS - 13);
      context.save();
      context.beginPath();
      context.rect(left, top + 6, wide - 2, CAPTIONS - 12);
      context.clip();
      context.font = '11px "Public Sans", sans-serif';
      context.fillStyle = theme.ink;
      row.text.split("\n").forEach((line, at) => context.fillText(line, left + 6, top + 22 + at * 14));
      context.font = '10px "Spline Sans Mono", monospace';
      context.fillStyle = row.broken.length ? theme.over : theme.soft;
      const words = `${row.broken.length ? "▲ " : ""}${Math.round(row.cps)} c/s`;
      context.textAlign = "right";
      context.fillText(words, x(to) - 6, size.height - 11);
      context.textAlign = "left";
      context.restore();
    }
  }

  function paintHead(context) {
    const at = x(actions.position());
    if (at < LEFT || at > size.width) return;
    context.fillStyle = theme.over;
    context.fillRect(at, 0, 1.5, size.height);
  }

  function captionUnder(event) {
    if (event.offsetY < size.height - CAPTIONS) return null;
    const near = (px) => Math.abs(event.offsetX - px) <= EDGE_PX;
    const rowsNow = model.state.captions.filter((row) => row.to >= model.view.start && row.from <= model.view.end);
    const row = rowsNow.find((one) => event.offsetX >= x(one.from) - EDGE_PX && event.offsetX <= x(one.to) + EDGE_PX);
    if (!row) return null;
    const edge = near(x(row.from)) ? "from" : near(x(row.to)) ? "to" : "";
    return { row, edge };
  }

  canvas.addEventListener("pointerdown", (event) => {
    const under = captionUnder(event);
    if (under) {
      actions.chooseCaption(under.row.id);
      if (under.edge) {
        const { id, from, to } = under.row;
        // The edge keeps its distance from the pointer that took hold of it.
        model.drag = { id, edge: under.edge, from, to, grip: sampleAt(event.offsetX) - under.row[under.edge] };
        canvas.setPointerCapture(event.pointerId);
      }
      return;
    }
    const passage = event.offsetY >= lanesTop() && actions.passageNear(sampleAt(event.offsetX));
    actions.seek(passage ? passage.from : Math.max(0, sampleAt(event.offsetX)));
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!model.drag) {
      canvas.style.cursor = captionUnder(event)?.edge ? "ew-resize" : "default";
      return;
    }
    const at = Math.round(Math.max(0, sampleAt(event.offsetX) - model.drag.grip));
    if (model.drag.edge === "from") model.drag.from = Math.min(at, model.drag.to - LEAST_SAMPLES);
    else model.drag.to = Math.max(at, model.drag.from + LEAST_SAMPLES);
    paint();
  });
  const drop = () => {
    const { drag } = model;
    model.drag = null;
    const row = drag && model.state.captions.find((one) => one.id === drag.id);
    if (row && (row.from !== drag.from || row.to !== drag.to)) actions.moveCaption(drag);
    else paint();
  };
  canvas.addEventListener("pointerup", drop);
  canvas.addEventListener("pointercancel", () => {
    model.drag = null;
    paint();
  });
  canvas.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      const span = model.view.end - model.view.start;
      if (event.ctrlKey || event.metaKey) actions.zoom(event.deltaY > 0 ? 1.25 : 0.8);
      else actions.scroll(((event.deltaY + event.deltaX) / 600) * span);
    },
    { passive: false },
  );

  return { paint };
}
