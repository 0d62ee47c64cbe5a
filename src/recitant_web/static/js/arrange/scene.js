// The timeline: tracks over each other. Model and size in, shapes out; paint draws them, the hit test reads them. Each mark
// stands in a file of its own: its shape, what draws it and what finds it under the pointer.

import { shaded } from "../lib/canvas.js";
import { clipUnder, paintClip, paintOverlaps, shapeOfClip } from "./marks/clip.js";
import { markerUnder, paintRange, paintRuler } from "./marks/ruler.js";
import { effective, shownTracks } from "./model.js";
import { RULER, ticksOf, xOf } from "./scale.js";
import { kindOf } from "../lib/roles.js";

const GAP = 3;

// Tracks from the top, in the scrolled content's own pixels (the ruler is not part of it).
export function layoutRows(model) {
  let top = 0;
  const rows = shownTracks(model).map((track, index) => {
    const row = {
      track,
      index,
      top,
      height: model.heightOf?.id === track.id ? model.heightOf.height : track.height_px,
    };
    top += row.height + GAP;
    return row;
  });
  return { rows, height: top };
}

export function layoutScene(model, { width, height, scrollTop }) {
  const { rows, height: contentHeight } = layoutRows(model);
  const { view } = model;
  const samplesPerPixel = (view.end - view.start) / width;
  const shown = rows
    .map((row) => ({ ...row, y: RULER + row.top - scrollTop }))
    .filter((row) => row.y + row.height > RULER && row.y < height);
  const byTrack = new Map(shown.map((row) => [row.track.id, row]));
  for (const row of shown) row.clips = [];
  for (const kept of model.clips.values()) {
    const clip = effective(model, kept);
    const row = byTrack.get(clip.track);
    if (!row || clip.start > view.end || clip.start + clip.length < view.start) continue;
    row.clips.push(shapeOfClip(model, clip, row, width));
  }
  for (const row of shown)
    row.clips.sort((a, b) => a.clip.start - b.clip.start || Number(a.clip.id) - Number(b.clip.id));
  return { width, height, rows: shown, allRows: rows, contentHeight, samplesPerPixel, ticks: ticksOf(view, width) };
}

// What lies under the pointer.
export function hitTest(model, scene, x, y) {
  if (y < RULER) {
    const marker = markerUnder(model, scene.width, x, y);
    return marker ? { kind: "marker", marker } : { kind: "ruler" };
  }
  const row = scene.rows.find((r) => y >= r.y && y < r.y + r.height);
  if (!row) return { kind: "nothing" };
  return clipUnder(model, row, x, y) || { kind: "lane", row };
}

export function paintScene(context, scene, model, theme, waves, quiet) {
  const { width, height } = scene;
  context.fillStyle = theme.paper;
  context.fillRect(0, 0, width, height);
  if (model.range) paintRange(context, scene, model, theme);
  for (const row of scene.rows) {
    context.fillStyle = theme.sheet;
    context.globalAlpha = model.range ? 0.75 : 1;
    context.fillRect(0, row.y, width, row.height);
    context.globalAlpha = 1;
    if (row.track.id === model.track) {
      context.fillStyle = theme.rule;
      context.fillRect(0, row.y + row.height - 1, width, 1);
    }
  }
  for (const tick of scene.ticks) {
    context.fillStyle = theme.rule;
    context.fillRect(tick.x, RULER, 1, height);
  }
  for (const row of scene.rows) {
    context.save();
    context.beginPath();
    context.rect(0, Math.max(RULER, row.y), width, row.height);
    context.clip();
    const alpha = quiet.has(row.track.id) ? 0.35 : 1;
    const colour = shaded(theme[kindOf(row.track.role)], row.track.shade, theme);
    for (const shape of row.clips) paintClip(context, shape, { row, scene, model, theme, waves, colour, alpha });
    paintOverlaps(context, row, theme);
    context.restore();
  }
  paintRuler(context, scene, model, theme);
  paintGesture(context, scene, model, theme);
}

function paintGesture(context, scene, model, theme) {
  const { gesture } = model;
  if (!gesture) return;
  if (gesture.box) {
    const { left, top, right, bottom } = gesture.box;
    context.strokeStyle = theme.ink;
    context.setLineDash([4, 3]);
    context.strokeRect(left + 0.5, top + 0.5, right - left, bottom - top);
    context.setLineDash([]);
  }
  if (gesture.snapAt !== null && gesture.snapAt !== undefined) {
    const x = xOf(gesture.snapAt, model.view, scene.width);
    context.fillStyle = theme.within;
    context.fillRect(x - 0.5, RULER, 1.5, scene.height);
  }
  if (gesture.words) {
    context.font = '600 11px "Spline Sans Mono", monospace';
    const w = context.measureText(gesture.words).width + 14;
    const x = Math.min(scene.width - w - 4, Math.max(4, gesture.x + 12));
    const y = Math.max(RULER + 4, gesture.y - 28);
    context.fillStyle = theme.ink;
    context.beginPath();
    context.roundRect(x, y, w, 20, 4);
    context.fill();
    context.fillStyle = theme["on-ink"];
    context.fillText(gesture.words, x + 7, y + 14);
  }
}
