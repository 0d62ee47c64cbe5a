// The curve over the phrases of a clip of speech: dotted, with a ring where a phrase begins or ends.

import { GUTTER_WIDTH, xOf } from "../scale.js";
import { trace } from "./ink.js";

const BASE_SHARE = 0.74; // of the stave's height: where a curve of 0 dB runs
const LEAST_RING_PX = 7;

export function shapesOfPhrases(model, stave, at) {
  if (!stave.is_speech) return [];
  const base = at.top + at.height * BASE_SHARE;
  const pxPerDb = (at.height / 30) * 0.8;
  const low = at.top + at.height - 14;
  return stave.clips
    .filter((clip) => clip.curve && clip.curve.length > 1)
    .map((clip) => {
      const points = clip.curve.map(([sample, db]) => [
        xOf(clip.start_sample + sample, model.view, at.width),
        Math.min(low, Math.max(at.top + 6, base - db * pxPerDb)),
      ]);
      const from = xOf(clip.start_sample, model.view, at.width);
      const to = xOf(clip.start_sample + clip.length_samples, model.view, at.width);
      return { points: [[from, points[0][1]], ...points, [to, points.at(-1)[1]]], rings: points };
    })
    .filter(({ points }) => points.at(-1)[0] > GUTTER_WIDTH && points[0][0] < at.width);
}

export function paintPhrases(context, row, colour, theme) {
  for (const { points, rings } of row.phrases) {
    context.strokeStyle = colour;
    context.lineWidth = 1.3;
    context.setLineDash([2, 3]);
    trace(context, points);
    context.stroke();
    context.setLineDash([]);
    let last = -Infinity;
    for (const [x, y] of rings) {
      if (x - last < LEAST_RING_PX || x < GUTTER_WIDTH) continue;
      last = x;
      context.beginPath();
      context.arc(x, y, 2.6, 0, 2 * Math.PI);
      context.fillStyle = theme.raised;
      context.fill();
      context.stroke();
    }
  }
}
