// Where a sample stands on the score, in CSS pixels.

import { tickStepS } from "../lib/ticks.js";
import { RATE_HZ } from "../lib/units.js";

export const RULER_HEIGHT = 26;
export const GUTTER_WIDTH = 34;

export function xOf(sample, view, width) {
  return GUTTER_WIDTH + ((sample - view.start) / (view.end - view.start)) * (width - GUTTER_WIDTH);
}

export function sampleAt(x, view, width) {
  return view.start + ((x - GUTTER_WIDTH) / (width - GUTTER_WIDTH)) * (view.end - view.start);
}

export function ticksOf(view, width) {
  const step = tickStepS((view.end - view.start) / RATE_HZ, 9, 1);
  const ticks = [];
  for (let s = Math.ceil(view.start / RATE_HZ / step) * step; s * RATE_HZ <= view.end; s += step) {
    ticks.push({ x: Math.round(xOf(s * RATE_HZ, view, width)) + 0.5, sample: s * RATE_HZ });
  }
  return ticks;
}
