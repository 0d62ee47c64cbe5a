// Where a sample stands on the timeline, in CSS pixels of the canvas.

import { tickStepS } from "../lib/ticks.js";
import { RATE_HZ } from "../lib/units.js";

export const RULER = 34;

export const xOf = (sample, view, width) => ((sample - view.start) / (view.end - view.start)) * width;
export const sampleAt = (x, view, width) => view.start + (x / width) * (view.end - view.start);

export function ticksOf(view, width) {
  const step = tickStepS((view.end - view.start) / RATE_HZ, width / 95);
  const ticks = [];
  for (let n = Math.ceil(view.start / RATE_HZ / step - 1e-9); n * step * RATE_HZ <= view.end; n += 1) {
    const sample = Math.round(n * step * RATE_HZ);
    ticks.push({ x: Math.round(xOf(sample, view, width)) + 0.5, sample });
  }
  return ticks;
}
