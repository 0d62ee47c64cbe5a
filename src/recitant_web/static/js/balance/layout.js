// Where everything stands, in CSS pixels: model and size in, shapes out. The painter obeys, the hit test reads.

import { duckOf, gainAt, pointsOf, movedDb } from "./model.js";

export const RULER_HEIGHT = 26;
export const GUTTER_WIDTH = 34;
const GAP = 8;
const LEAST_STAVE = 94;
export const LANE_HEIGHT = 84;
const LANE_LU = 24;
const SPEECH_HEIGHT = 9;
const HANDLE_PX = 8;
const EDGE_PX = 5;
const NOBODY_SPEAKS = -1000;
const LINES = 5;
const STEP_LU = 6;
const ABOVE_AIM_LU = 12;
const WEIGHT = { dialogue: 1.45, music: 1.25, effects: 1.0, ambience: 0.9 };
const FLOOR_TENTHS = -1000;

export function layoutScore(model, width, availableHeight) {
  const staves = model.state.staves;
  const total = staves.reduce((sum, stave) => sum + WEIGHT[stave.role], 0) || 1;
  const room = availableHeight - RULER_HEIGHT - GAP * (staves.length + 2) - LANE_HEIGHT;
  let top = RULER_HEIGHT + GAP;
  const rows = staves.map((stave) => {
    const height = Math.max(LEAST_STAVE, Math.min(230, Math.floor((room * WEIGHT[stave.role]) / total)));
    const row = layoutStave(model, stave, top, height, width);
    top += height + GAP;
    return row;
  });
  const lane = layoutLane(model, Math.max(top, availableHeight - LANE_HEIGHT - GAP), width);
  return {
    width,
    height: Math.max(top + LANE_HEIGHT + GAP, availableHeight),
    rows,
    lane,
    ticks: layoutTicks(model.view, width),
  };
}

// Clearance: bars from the foot, the line of what is asked for, close passages on their own.
function layoutLane(model, top, width) {
  const { clearance } = model.state;
  const pxPerLu = (LANE_HEIGHT - 8) / LANE_LU;
  const foot = top + LANE_HEIGHT;
  const lane = {
    top,
    height: LANE_HEIGHT,
    asked: clearance.asked_lu,
    askedY: Math.round(foot - Math.min(clearance.asked_lu, LANE_LU) * pxPerLu) + 0.5,
    bars: [],
    passages: [],
  };
  const found = model.contours && model.contours.clearance;
  if (found) {
    const step = model.contours.step_samples;
    found.tenths.forEach((tenths, index) => {
      if (tenths === NOBODY_SPEAKS) return;
      const at = found.from_sample + index * step;
      const x = xOf(at, model.view, width);
      const wide = Math.max(1, xOf(at + step, model.view, width) - x);
      if (x + wide < GUTTER_WIDTH || x > width) return;
      const height = Math.max(1.5, Math.min(tenths / 10, LANE_LU) * pxPerLu);
      // Red is what counts: moments too short to count stay quiet.
      const counts = clearance.passages.some(
        (p) => at + step > p.start_sample && at < p.start_sample + p.length_samples,
      );
      lane.bars.push({
        x,
        width: wide,
        y: foot - height,
        height,
        isClose: counts && tenths / 10 < clearance.asked_lu - 0.05,
      });
    });
  }
  for (const passage of clearance.passages) {
    const x = xOf(passage.start_sample, model.view, width);
    const end = xOf(passage.start_sample + passage.length_samples, model.view, width);
    if (end > GUTTER_WIDTH && x < width)
      lane.passages.push({
        x: Math.max(x, GUTTER_WIDTH),
        width: Math.max(3, end - Math.max(x, GUTTER_WIDTH)),
        passage,
      });
  }
  return lane;
}

export function xOf(sample, view, width) {
  return GUTTER_WIDTH + ((sample - view.start) / (view.end - view.start)) * (width - GUTTER_WIDTH);
}

export function sampleAt(x, view, width) {
  return view.start + ((x - GUTTER_WIDTH) / (width - GUTTER_WIDTH)) * (view.end - view.start);
}

export function hitTest(score, x, y) {
  if (y < RULER_HEIGHT) return { kind: "ruler" };
  if (y >= score.lane.top) {
    const near = score.lane.passages.find((p) => x >= p.x - 2 && x <= p.x + p.width + 2);
    return { kind: "lane", passage: near ? near.passage : null };
  }
  const row = score.rows.find((r) => y >= r.top && y < r.top + r.height);
  if (!row) return { kind: "nothing" };
  if (x < GUTTER_WIDTH) return { kind: "stem", row };
  const handle = row.handles.find((h) => Math.hypot(h.x - x, h.y - y) <= HANDLE_PX);
  if (handle) return { kind: "duck-point", row, handle };
  if (row.role === "dialogue" && y >= row.speechTop - 3) {
    const edge = row.speech
      .flatMap((s) => [
        { s, side: "from", x: s.x },
        { s, side: "to", x: s.x + s.width },
      ])
      .find((e) => Math.abs(e.x - x) <= EDGE_PX);
    if (edge) return { kind: "speech-edge", row, span: edge.s, side: edge.side };
    const span = row.speech.find((s) => x >= s.x && x <= s.x + s.width);
    if (span) return { kind: "speech", row, span };
    const clip = row.clips.find((c) => x >= c.x && x <= c.x + c.width);
    if (clip) return { kind: "speech-gap", row, clip };
  }
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
    lines.push({
      y: Math.round(top + i * STEP_LU * pxPerDb) + 0.5,
      lufs,
      isAim: Math.abs(lufs - stave.aim_lufs) < 0.01,
    });
  }
  const duck = duckOf(model, stave.role);
  const dragged =
    duck && model.drag && model.drag.target === "duck" && model.drag.id === duck.id ? pointsOf(model, duck) : null;
  const at = { yOf, top, height, width, stemShift, aim: stave.aim_lufs, duck, dragged };
  const clips = stave.clips
    .map((clip) => layoutClip(model, clip, at))
    .filter((shape) => shape.x + shape.width > GUTTER_WIDTH && shape.x < width);
  const handles = duck ? layoutHandles(model, duck, clips, at) : [];
  const speechTop = top + height - SPEECH_HEIGHT;
  const speech = stave.role === "dialogue" ? layoutSpeech(model, width) : [];
  return {
    role: stave.role,
    letter: stave.letter,
    top,
    height,
    lines,
    clips,
    handles,
    speech,
    speechTop,
    speechHeight: SPEECH_HEIGHT,
    duck,
    pxPerDb,
    stemDb: stave.gain_db + stemShift,
    isDragged: stemShift !== 0,
  };
}

// A handle sits on the dipped line of what sounds there; where nothing does, as far under the aim as the curve lies.
function layoutHandles(model, duck, clips, at) {
  if (duck.rule.kind !== "curve" || !duck.rule.uses_level) return [];
  const handles = [];
  pointsOf(model, duck).forEach(([sample, db, isPinned], index) => {
    const x = xOf(sample, model.view, at.width);
    if (x < GUTTER_WIDTH || x > at.width) return;
    const under = clips.filter((clip) => clip.points.length > 1 && x >= clip.x && x <= clip.x + clip.width);
    const ys = under.map((clip) => lineAt(clip, x));
    const y = ys.length ? Math.min(...ys) : at.yOf(at.aim + db);
    const isDragged = Boolean(at.dragged && model.drag.index === index);
    handles.push({
      duck,
      index,
      sample,
      db,
      isPinned,
      isDragged,
      x,
      y: Math.min(Math.max(y, at.top + 4), at.top + at.height - 4),
    });
  });
  // Handles on each other's feet are not drawn: zoom in for them.
  return handles.filter((h, i) => i === 0 || h.x - handles[i - 1].x > 5 || h.isPinned);
}

function layoutSpeech(model, width) {
  const drag = model.drag && model.drag.target === "speech" ? model.drag : null;
  const spans = model.state.speech.map(([start, length, confidence, clipId]) => ({
    from: start,
    to: start + length,
    confidence,
    clipId,
  }));
  if (drag && drag.was)
    spans.forEach((s) => {
      if (s.clipId === drag.clipId && s.from === drag.was.from) {
        s.from = drag.from;
        s.to = drag.to;
      }
    });
  if (drag && !drag.was) spans.push({ from: drag.from, to: drag.to, confidence: 1, clipId: drag.clipId });
  const chosen = model.selectedSpeech;
  return spans
    .map((s) => {
      const x = Math.max(GUTTER_WIDTH, xOf(s.from, model.view, width));
      return {
        ...s,
        x,
        width: Math.max(2, xOf(s.to, model.view, width) - x),
        isSelected: Boolean(chosen && chosen.clipId === s.clipId && chosen.from === s.from),
      };
    })
    .filter((s) => s.x + s.width > GUTTER_WIDTH && s.x < width);
}

function layoutClip(model, clip, at) {
  const view = model.view;
  const x = xOf(clip.start_sample, view, at.width);
  const width = Math.max(3, xOf(clip.start_sample + clip.length_samples, view, at.width) - x);
  const isDragged = model.drag && model.drag.target === "clip" && model.drag.id === clip.id;
  const shiftDb = at.stemShift + (isDragged ? model.drag.deltaDb : 0);
  const lineDb = shiftDb + movedDb(model, clip);
  const contour = model.contours && model.contours.clips[clip.id];
  const traced = (tenthsOf) => {
    if (!contour) return [];
    const step = model.contours.step_samples;
    return tenthsOf.map((tenths, index) => {
      const sample = contour.from_sample + index * step;
      const px = xOf(sample, view, at.width);
      const dipDb = at.dragged && tenthsOf === contour.undipped ? gainAt(at.dragged, sample) : 0;
      const y = at.yOf(tenths <= FLOOR_TENTHS ? -200 : tenths / 10 + lineDb + dipDb);
      return [Math.min(Math.max(px, x), x + width), y];
    });
  };
  const isDipped = Boolean(contour && contour.undipped);
  const isDrawn = at.dragged && isDipped && (at.duck.stem || at.duck.track_id === clip.track_id);
  const points = contour ? traced(isDrawn ? contour.undipped : contour.tenths) : [];
  const undipped = isDipped
    ? contour.undipped.map((tenths, index) => {
        const sample = contour.from_sample + index * model.contours.step_samples;
        return [
          Math.min(Math.max(xOf(sample, view, at.width), x), x + width),
          at.yOf(tenths <= FLOOR_TENTHS ? -200 : tenths / 10 + lineDb),
        ];
      })
    : [];
  const missLu = clip.in_mix_lufs === null ? null : clip.in_mix_lufs + shiftDb - at.aim;
  return {
    id: clip.id,
    name: clip.name,
    x,
    width,
    y: at.top,
    height: at.height,
    points,
    undipped,
    missLu,
    gainDb: clip.gain_db + (isDragged ? model.drag.deltaDb : 0),
    isSelected: clip.id === model.selectedId,
    isDragged: Boolean(isDragged),
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
