// Where everything stands, in CSS pixels of the canvas: model and size in, shapes out.

import { effective, shownTracks } from "./model.js";

export const RULER = 34;
const GAP = 3;
export const EDGE_PX = 6;
const HANDLE_PX = 9;
export const CURVE_TOP_DB = 12;
export const CURVE_BOTTOM_DB = -36;

export const xOf = (sample, view, width) => ((sample - view.start) / (view.end - view.start)) * width;
export const sampleAt = (x, view, width) => view.start + (x / width) * (view.end - view.start);

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
    row.clips.push(layoutClip(model, clip, row, width));
  }
  for (const row of shown)
    row.clips.sort((a, b) => a.clip.start - b.clip.start || Number(a.clip.id) - Number(b.clip.id));
  return { width, height, rows: shown, allRows: rows, contentHeight, samplesPerPixel, ticks: layoutTicks(view, width) };
}

function layoutClip(model, clip, row, width) {
  const x = xOf(clip.start, model.view, width);
  const w = Math.max(1, (clip.length / (model.view.end - model.view.start)) * width);
  const y = row.y;
  const curve = clip.curve?.map(([at, db]) => ({ x: x + (at / clip.length) * w, y: curveY(db, row), at, db }));
  return {
    clip,
    x,
    w,
    y,
    h: row.height,
    role: row.track.role,
    isSelected: model.selected.has(clip.id),
    fadeIn: (clip.fade_in[0] / clip.length) * w,
    fadeOut: (clip.fade_out[0] / clip.length) * w,
    curve: curve || null,
  };
}

export function curveY(db, row) {
  const share =
    (CURVE_TOP_DB - Math.max(CURVE_BOTTOM_DB, Math.min(CURVE_TOP_DB, db))) / (CURVE_TOP_DB - CURVE_BOTTOM_DB);
  return row.y + 6 + share * (row.height - 12);
}

export function curveDb(y, row) {
  const share = (y - row.y - 6) / Math.max(1, row.height - 12);
  return Math.round((CURVE_TOP_DB - Math.min(1, Math.max(0, share)) * (CURVE_TOP_DB - CURVE_BOTTOM_DB)) * 10) / 10;
}

function layoutTicks(view, width) {
  const steps = [0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600];
  const seconds = (view.end - view.start) / 48000;
  const step = steps.find((s) => seconds / s <= width / 95) || 7200;
  const ticks = [];
  for (let n = Math.ceil(view.start / 48000 / step - 1e-9); n * step * 48000 <= view.end; n += 1) {
    const sample = Math.round(n * step * 48000);
    ticks.push({ x: Math.round(xOf(sample, view, width)) + 0.5, sample });
  }
  return ticks;
}

// What lies under the pointer.
export function hitTest(model, scene, x, y) {
  if (y < RULER) {
    const near = model.state.markers
      .map((marker) => ({ marker, off: Math.abs(xOf(marker.at_sample, model.view, scene.width) - x) }))
      .filter(({ off }) => off < 7 && y > RULER - 16)
      .sort((a, b) => a.off - b.off)[0];
    return near ? { kind: "marker", marker: near.marker } : { kind: "ruler" };
  }
  const row = scene.rows.find((r) => y >= r.y && y < r.y + r.height);
  if (!row) return { kind: "nothing" };
  const over = row.clips.filter((shape) => x >= shape.x - 2 && x <= shape.x + shape.w + 2);
  // Later clips lie on top; a chosen one comes first, so that its handles can be reached.
  const shape = over.findLast((one) => one.isSelected) || over.at(-1);
  if (!shape) return { kind: "lane", row };
  const inside = x - shape.x;
  const isTop = y - shape.y < HANDLE_PX + 3;
  if (shape.w > 24 && isTop) {
    if (Math.abs(inside - shape.fadeIn) < HANDLE_PX) return { kind: "fade-in", row, shape };
    if (Math.abs(shape.w - inside - shape.fadeOut) < HANDLE_PX) return { kind: "fade-out", row, shape };
  }
  if (shape.curve || model.isCurves) {
    const index = (shape.curve || []).findIndex((p) => Math.hypot(p.x - x, p.y - y) < 7);
    if (index >= 0) return { kind: "point", row, shape, index };
    if (model.isCurves) return { kind: "line", row, shape };
  }
  if (shape.w > 14 && inside < EDGE_PX) return { kind: "trim-start", row, shape };
  if (shape.w > 14 && shape.w - inside < EDGE_PX) return { kind: "trim-end", row, shape };
  return { kind: "clip", row, shape };
}
