// Two scales beside each other: loudness against the aim, and peaks; hold and overload marks stay until cleared.
// What they show comes with every block of sound; nothing is measured here.

import { button, make } from "../lib/dom.js";
import { clock, signed } from "../lib/units.js";
import { fitCanvas, sizeOf } from "../lib/canvas.js";

const MONO = '9.5px "Spline Sans Mono", monospace';
const LEAST_LU = -18;
const MOST_LU = 9;
const LEAST_DB = -48;
const MOST_MARKS = 200;

export function newMeters({ canvas, list, theme, model, actions }) {
  const { channels } = model.state;
  const held = { db: channels.map(() => -99), truePeak: -99, loud: -99 };
  let marks = [];
  let now = null;
  let lastSample = -1e9;
  let painted = "";
  const again = () => {
    painted = "";
  };
  const size = sizeOf(canvas, again);
  window.addEventListener("themechange", again);

  function feed(reading) {
    now = reading;
    if (!reading) return;
    held.loud = Math.max(held.loud, reading.momentary / 10);
    held.truePeak = Math.max(held.truePeak, reading.truePeak / 10);
    reading.peaks.forEach((tenths, i) => {
      held.db[i] = Math.max(held.db[i], tenths / 10);
    });
    const limit = model.state.spec.max_true_peak_dbtp;
    if (reading.truePeak / 10 > limit && Math.abs(reading.sample - lastSample) > 24000 && marks.length < MOST_MARKS) {
      marks.push({ sample: reading.sample, db: reading.truePeak / 10 });
      lastSample = reading.sample;
      showMarks();
    }
  }

  function clear() {
    held.db = channels.map(() => -99);
    held.truePeak = -99;
    held.loud = -99;
    marks = [];
    lastSample = -1e9;
    showMarks();
  }

  function showMarks() {
    list.hidden = !marks.length;
    list.replaceChildren(
      make("summary", {
        className: "over",
        textContent: `${marks.length} over ${signed(model.state.spec.max_true_peak_dbtp, 0)} dBTP`,
      }),
      make(
        "div",
        { className: "marks-list" },
        ...marks.map((mark) =>
          button(`${clock(mark.sample)}  ${signed(mark.db)}`, () => actions.seek(mark.sample), {
            className: "quiet mono",
          }),
        ),
        button("clear", clear, { className: "quiet" }),
      ),
    );
  }

  // Every frame: painted only where something of it is another.
  function paint() {
    const { zones, spec } = model.state;
    const key = JSON.stringify([now, held, zones, spec.target_lufs, spec.max_true_peak_dbtp]);
    if (key === painted) return;
    painted = key;
    const { width, height } = size;
    const context = fitCanvas(canvas, width, height);
    context.clearRect(0, 0, width, height);
    context.font = MONO;
    const half = Math.round(width * 0.46);
    const lu = (value) =>
      18 + ((Math.max(LEAST_LU, Math.min(MOST_LU, value)) - LEAST_LU) / (MOST_LU - LEAST_LU)) * (half - 22);
    // Loudness: a band for each zone, a bar for momentary, a tick for short-term.
    const parts = [
      [LEAST_LU, zones.quiet_lu, theme.rule],
      [zones.quiet_lu, -zones.near_lu, theme.edge],
      [-zones.near_lu, zones.near_lu, theme.within],
      [zones.near_lu, zones.loud_lu, theme.brass],
      [zones.loud_lu, MOST_LU, theme.over],
    ];
    for (const [from, to, colour] of parts) {
      context.fillStyle = colour;
      context.fillRect(lu(from), 22, Math.max(0, lu(to) - lu(from) - 1), 3);
    }
    context.fillStyle = theme.rule;
    context.fillRect(18, 5, half - 22, 14);
    if (now && now.momentary > -1000) {
      context.fillStyle = theme.ink;
      context.fillRect(18, 5, lu(now.momentary / 10 - spec.target_lufs) - 18, 14);
      context.fillStyle = theme.brass;
      context.fillRect(lu(now.shortTerm / 10 - spec.target_lufs) - 1, 3, 2.5, 18);
    }
    context.fillStyle = theme.soft;
    context.fillText("LU", 2, 15);
    for (const mark of [-18, -9, 0, 9]) context.fillText(signed(mark, 0).replace("−0", "0"), lu(mark) - 6, 36);
    // Peaks: a thin bar for the sample peak, a thick one for the pointer, holds, and the true peak in figures.
    const left = half + 16;
    const db = (value) =>
      left + ((Math.max(LEAST_DB, Math.min(0, value)) - LEAST_DB) / -LEAST_DB) * (width - left - 40);
    const row = Math.min(12, Math.floor(24 / channels.length));
    const pointer = row / 2;
    channels.forEach((name, i) => {
      const y = 2 + i * row;
      context.fillStyle = theme.soft;
      context.fillText(name, half + 4, y + row - 4);
      context.fillStyle = theme.rule;
      context.fillRect(left, y, width - left - 40, row - 3);
      if (now) {
        context.fillStyle = now.quasi[i] / 10 > zones.peak_dbfs ? theme.brass : theme.ink;
        context.fillRect(left, y, db(now.quasi[i] / 10) - left, pointer);
        context.fillStyle = theme.faint;
        context.fillRect(left, y + pointer + 1, db(now.peaks[i] / 10) - left, 2);
      }
      if (held.db[i] > LEAST_DB) {
        context.fillStyle = held.db[i] >= 0 ? theme.over : theme.brass;
        context.fillRect(db(held.db[i]) - 1, y - 1, 2.5, row - 1);
      }
    });
    context.fillStyle = theme.soft;
    for (const mark of [-40, -20, 0]) context.fillText(signed(mark, 0).replace("−0", "0"), db(mark) - 7, 36);
    context.fillStyle = held.truePeak > spec.max_true_peak_dbtp ? theme.over : theme.soft;
    context.fillText(held.truePeak > -99 ? signed(held.truePeak) : "–", width - 36, 11);
    context.fillStyle = theme.soft;
    context.fillText("dBTP", width - 36, 25);
    // Correlation of left and right, -1 to 1.
    const [from, wide] = [left, width - left - 40];
    context.fillStyle = theme.rule;
    context.fillRect(from, 43, wide, 4);
    if (now) {
      context.fillStyle = now.correlation < 0 ? theme.over : theme.within;
      const at = from + ((now.correlation + 1) / 2) * wide;
      context.fillRect(Math.min(at, from + wide / 2), 43, Math.abs(at - from - wide / 2), 4);
    }
    context.fillStyle = theme.soft;
    context.fillText("correlation", from - 84, 49);
    context.fillText("−1", from - 14, 49);
    context.fillText("+1", from + wide + 2, 49);
  }

  canvas.addEventListener("click", clear);
  canvas.title =
    "Left: momentary loudness against the target, brass tick short-term. Right: IEC 60268-10 pointer over sample peak, held tops, true peak. Below: correlation. Click to clear the marks.";
  return { feed, paint, clear };
}
