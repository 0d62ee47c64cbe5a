// Where a sample stands on the timeline, in CSS pixels of the canvas.

import { tickStepS } from "../lib/ticks.js";

export const RULER = 34;

export const xOf = (sample, view, width) => ((sample - view.start) / (view.end - view.start)) * width;
export const sampleAt = (x, view, width) => view.start + (x / width) * (view.end - view.start);

export function ticksOf(view, width) {
  const step = tickStepS((view.end - view.start) / 48000, width / 95);
  const ticks = [];
  for (let n = Math.ceil(view.start / 48000 / step - 1e-9); n * step * 48000 <= view.end; n += 1) {
    const sample = Math.round(n * step * 48000);
    ticks.push({ x: Math.round(xOf(sample, view, width)) + 0.5, sample });
  }
  return ticks;
}
