// Where everything stands, in CSS pixels: model and size in, shapes out. The painter obeys, the hit test reads.

export const RULER_HEIGHT = 26;
export const GUTTER_WIDTH = 34;
const GAP = 8;
const LEAST_STAVE = 108;
const LINES = 5;
const STEP_LU = 6;
const ABOVE_AIM_LU = 12;
const WEIGHT = { dialogue: 1.45, music: 1.25, effects: 1.0, ambience: 0.9 };
const FLOOR_TENTHS = -1000;

export function layoutScore(model, width, availableHeight) {
  const staves = model.state.staves;
  const total = staves.reduce((sum, stave) => sum + WEIGHT[stave.role], 0) || 1;
  const room = availableHeight - RULER_HEIGHT - GAP * (staves.length + 1);
  let top = RULER_HEIGHT + GAP;
  const rows = staves.map((stave) => {
    const height = Math.max(LEAST_STAVE, Math.min(230, Math.floor((room * WEIGHT[stave.role]) / total)));
    const row = layoutStave(model, stave, top, height, width);
    top += height + GAP;
    return row;
  });
  return { width, height: Math.max(top, availableHeight), rows, ticks: layoutTicks(model.view, width) };
}

export function xOf(sample, view, width) {
  return GUTTER_WIDTH + ((sample - view.start) / (view.end - view.start)) * (width - GUTTER_WIDTH);
}

export function sampleAt(x, view, width) {
  return view.start + ((x - GUTTER_WIDTH) / (width - GUTTER_WIDTH)) * (view.end - view.start);
}

export function hitTest(score, x, y) {
  if (y < RULER_HEIGHT) return { kind: "ruler" };
  const row = score.rows.find((r) => y >= r.top && y < r.top + r.height);
  if (!row) return { kind: "nothing" };
  if (x < GUTTER_WIDTH) return { kind: "stem", row };
  const inside = row.clips.filter((clip) => x >= clip.x - 1 && x <= clip.x + clip.width + 1);
  // Where clips overlap, the one whose line is nearest to the pointer.
  inside.sort((a, b) => Math.abs(lineAt(a, x) - y) - Math.abs(lineAt(b, x) - y));
  return inside.length ? { kind: "clip", row, clip: inside[0] } : { kind: "stave", row };
}

function layoutStave(model, stave, top, height, width) {
  const pxPerDb = height / (LINES * STEP_LU);
  const topLufs = stave.aim_lufs + ABOVE_AIM_LU;
  const yOf = (lufs) => top + Math.min(Math.max((topLufs - lufs) * pxPerDb, 0), height);
  const stemShift = model.drag && model.drag.target === "stem" && model.drag.id === stave.role ? model.drag.deltaDb : 0;
  const lines = [];
  for (let i = 1; i < LINES; i += 1) {
    const lufs = topLufs - i * STEP_LU;
    lines.push({ y: Math.round(top + i * STEP_LU * pxPerDb) + 0.5, lufs, isAim: Math.abs(lufs - stave.aim_lufs) < 0.01 });
  }
  const clips = stave.clips
    .map((clip) => layoutClip(model, clip, { yOf, top, height, width, stemShift, aim: stave.aim_lufs }))
    .filter((shape) => shape.x + shape.width > GUTTER_WIDTH && shape.x < width);
  return { role: stave.role, letter: stave.letter, top, height, lines, clips, pxPerDb, stemDb: stave.gain_db + stemShift, isDragged: stemShift !== 0 };
}

function layoutClip(model, clip, at) {
  const view = model.view;
  const x = xOf(clip.start_sample, view, at.width);
  const width = Math.max(3, xOf(clip.start_sample + clip.length_samples, view, at.width) - x);
  const isDragged = model.drag && model.drag.target === "clip" && model.drag.id === clip.id;
  const shiftDb = at.stemShift + (isDragged ? model.drag.deltaDb : 0);
  const points = [];
  const contour = model.contours && model.contours.clips[clip.id];
  if (contour) {
    const step = model.contours.step_samples;
    contour.tenths.forEach((tenths, index) => {
      const px = xOf(contour.from_sample + index * step, view, at.width);
      const y = at.yOf(tenths <= FLOOR_TENTHS ? -200 : tenths / 10 + shiftDb);
      points.push([Math.min(Math.max(px, x), x + width), y]);
    });
  }
  const missLu = clip.in_mix_lufs === null ? null : clip.in_mix_lufs + shiftDb - at.aim;
  return {
    id: clip.id, name: clip.name, x, width, y: at.top, height: at.height, points, missLu,
    gainDb: clip.gain_db + (isDragged ? model.drag.deltaDb : 0),
    isSelected: clip.id === model.selectedId, isDragged: Boolean(isDragged),
  };
}

function layoutTicks(view, width) {
  const steps = [1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600];
  const seconds = (view.end - view.start) / 48000;
  const step = steps.find((s) => seconds / s <= 9) || 7200;
  const ticks = [];
  for (let s = Math.ceil(view.start / 48000 / step) * step; s * 48000 <= view.end; s += step) {
    ticks.push({ x: Math.round(xOf(s * 48000, view, width)) + 0.5, sample: s * 48000 });
  }
  return ticks;
}

function lineAt(clip, x) {
  let nearest = clip.y;
  for (const [px, y] of clip.points) {
    nearest = y;
    if (px >= x) break;
  }
  return nearest;
}

export const HORIZON_LEFT = 120;
export const HORIZON_RIGHT = 16;
const HORIZON_SPAN_LU = 30;

export function layoutHorizon(model, width, height) {
  const { spec, horizon, length_samples: length } = model.state;
  const room = width - HORIZON_LEFT - HORIZON_RIGHT;
  const top = spec.target_lufs + 11;
  const yOf = (lufs) => 6 + Math.min(Math.max((top - lufs) / HORIZON_SPAN_LU, 0), 1) * (height - 12);
  const xOfSample = (sample) => HORIZON_LEFT + (sample / Math.max(1, length)) * room;
  return {
    width, height, length,
    points: horizon.map((tenths, i) => [HORIZON_LEFT + (i / Math.max(1, horizon.length - 1)) * room, yOf(tenths / 10)]),
    aimY: Math.round(yOf(spec.target_lufs)) + 0.5,
    bandTop: yOf(spec.target_lufs + spec.tolerance_lu), bandBottom: yOf(spec.target_lufs - spec.tolerance_lu),
    window: [xOfSample(model.view.start), xOfSample(Math.min(model.view.end, length))],
    right: width - HORIZON_RIGHT, xOfSample,
    sampleAt: (x) => ((x - HORIZON_LEFT) / room) * length,
  };
}
