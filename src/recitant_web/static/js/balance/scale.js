// Where a sample stands on the score, in CSS pixels.

import { tickStepS } from "../lib/ticks.js";

export const RULER_HEIGHT = 26;
export const GUTTER_WIDTH = 34;

export function xOf(sample, view, width) {
  return GUTTER_WIDTH + ((sample - view.start) / (view.end - view.start)) * (width - GUTTER_WIDTH);
}

export function sampleAt(x, view, width) {
  return view.start + ((x - GUTTER_WIDTH) / (width - GUTTER_WIDTH)) * (view.end - view.start);
}

export function ticksOf(view, width) {
  const step = tickStepS((view.end - view.start) / 48000, 9, 1);
  const ticks = [];
  for (let s = Math.ceil(view.start / 48000 / step) * step; s * 48000 <= view.end; s += step) {
    ticks.push({ x: Math.round(xOf(s * 48000, view, width)) + 0.5, sample: s * 48000 });
  }
  return ticks;
}
