// The whole programme at the top: short-term loudness around the target, and the part in view.

import { MONO, trace } from "./ink.js";

const HORIZON_LEFT = 120;
const HORIZON_RIGHT = 16;
const HORIZON_SPAN_LU = 30;

export function shapeOfHorizon(model, width, height) {
  const { spec, horizon, length_samples: length } = model.state;
  const room = width - HORIZON_LEFT - HORIZON_RIGHT;
  const top = spec.target_lufs + 11;
  const yOf = (lufs) => 6 + Math.min(Math.max((top - lufs) / HORIZON_SPAN_LU, 0), 1) * (height - 12);
  const xOfSample = (sample) => HORIZON_LEFT + (sample / Math.max(1, length)) * room;
  return {
    width,
    height,
    length,
    points: horizon.map((tenths, i) => [HORIZON_LEFT + (i / Math.max(1, horizon.length - 1)) * room, yOf(tenths / 10)]),
    aimY: Math.round(yOf(spec.target_lufs)) + 0.5,
    bandTop: yOf(spec.target_lufs + spec.tolerance_lu),
    bandBottom: yOf(spec.target_lufs - spec.tolerance_lu),
    window: [xOfSample(model.view.start), xOfSample(Math.min(model.view.end, length))],
    right: width - HORIZON_RIGHT,
    xOfSample,
    sampleAt: (x) => ((x - HORIZON_LEFT) / room) * length,
  };
}

export function paintHorizon(context, horizon, theme, words) {
  context.clearRect(0, 0, horizon.width, horizon.height);
  const room = horizon.right - HORIZON_LEFT;
  context.fillStyle = theme.band;
  context.fillRect(HORIZON_LEFT, horizon.bandTop, room, Math.max(2, horizon.bandBottom - horizon.bandTop));
  context.fillStyle = theme.within;
  context.fillRect(HORIZON_LEFT, horizon.aimY - 0.5, room, 1);
  if (horizon.points.length > 1) {
    trace(context, horizon.points);
    context.strokeStyle = theme.ink;
    context.lineWidth = 1.2;
    context.stroke();
  }
  const [left, right] = horizon.window;
  if (right - left < room - 2) {
    context.globalAlpha = 0.07;
    context.fillStyle = theme.ink;
    context.fillRect(left, 3, right - left, horizon.height - 6);
    context.globalAlpha = 1;
    context.strokeStyle = theme.ink;
    context.lineWidth = 1.5;
    context.strokeRect(left, 3.5, right - left, horizon.height - 7);
  }
  context.font = '11px "Public Sans", sans-serif';
  context.fillStyle = theme.soft;
  words.forEach((line, i) => context.fillText(line, 16, 22 + i * 16));
  context.font = MONO;
  context.fillStyle = theme.within;
  context.textAlign = "right";
  context.fillText(words.target, HORIZON_LEFT - 4, horizon.aimY + 3.5);
  context.textAlign = "left";
}
