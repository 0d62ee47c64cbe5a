// The ruler with its times and markers, and the range.

import { RATE_HZ, clock, timecode } from "../../lib/units.js";
import { RULER, xOf } from "../scale.js";
import { MONO, TEXT } from "./ink.js";

const REACH_PX = 7;

export function markerUnder(model, width, x, y) {
  const near = model.state.markers
    .map((marker) => ({ marker, off: Math.abs(xOf(marker.at_sample, model.view, width) - x) }))
    .filter(({ off }) => off < REACH_PX && y > RULER - 16)
    .sort((a, b) => a.off - b.off)[0];
  return near ? near.marker : null;
}

export function paintRange(context, scene, model, theme) {
  const [a, b] = model.range.map((at) => xOf(at, model.view, scene.width));
  context.fillStyle = theme.band;
  context.fillRect(a, 0, b - a, scene.height);
}

export function paintRuler(context, scene, model, theme) {
  context.fillStyle = theme.sheet;
  context.fillRect(0, 0, scene.width, RULER);
  if (model.range) {
    const [a, b] = model.range.map((at) => xOf(at, model.view, scene.width));
    context.fillStyle = theme.within;
    context.fillRect(a, 0, Math.max(2, b - a), model.isLooping ? 4 : 2);
  }
  context.fillStyle = theme.edge;
  context.fillRect(0, RULER - 1, scene.width, 1);
  context.font = MONO;
  const isFine = scene.ticks.length > 1 && scene.ticks[1].sample - scene.ticks[0].sample < RATE_HZ;
  for (const tick of scene.ticks) {
    context.fillStyle = theme.edge;
    context.fillRect(tick.x, 4, 1, RULER - 5);
    context.fillStyle = theme.soft;
    context.fillText(isFine ? timecode(tick.sample, model.state.frame_rate) : clock(tick.sample), tick.x + 4, 14);
  }
  for (const marker of model.state.markers) {
    const x = xOf(marker.at_sample, model.view, scene.width);
    if (x < -100 || x > scene.width) continue;
    context.fillStyle = marker.kind === "chapter" ? theme.within : marker.kind === "sync" ? theme.over : theme.brass;
    context.fillRect(x - 0.75, RULER - 14, 1.5, scene.height);
    context.beginPath();
    if (marker.kind === "sync") {
      context.moveTo(x - 5, RULER - 9);
      context.lineTo(x, RULER - 15);
      context.lineTo(x + 5, RULER - 9);
      context.lineTo(x, RULER - 3);
    } else if (marker.kind === "chapter") context.rect(x, RULER - 15, 8, 8);
    else context.arc(x, RULER - 9, 4.5, 0, 7);
    context.fill();
    context.font = TEXT;
    if (marker.text) context.fillText(marker.text.slice(0, 30), x + 10, RULER - 6);
    context.font = MONO;
  }
}
