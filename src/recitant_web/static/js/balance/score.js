// The score: staves over each other, clearance under them. Model and size in, shapes out; paint draws them, the hit test
// reads them. Each mark stands in a file of its own: its shape, what draws it and what finds it under the pointer.

import { gainText, clock, signed } from "../lib/units.js";
import { clipUnder, paintClip, shapeOfClip } from "./marks/clip.js";
import { handleUnder, paintHandles, shapesOfHandles } from "./marks/handle.js";
import { label, MONO, TEXT } from "./marks/ink.js";
import { levelUnder, paintGrips, paintLevels, paintTrim, shapeOfTrim, shapesOfLevels } from "./marks/levels.js";
import { paintPhrases, shapesOfPhrases } from "./marks/phrases.js";
import { LANE_HEIGHT, paintLane, passageUnder, shapeOfLane } from "./marks/lane.js";
import { paintSpeech, shapesOfSpeech, SPEECH_HEIGHT, speechUnder } from "./marks/speech.js";
import { duckOf, movedDb, pointsOf } from "./model.js";
import { GUTTER_WIDTH, RULER_HEIGHT, ticksOf } from "./scale.js";
import { kindOf } from "../lib/roles.js";

const ZOOM_PX = 124;
const GAP = 8;
const LEAST_STAVE = 88;
const MOST_MORE = 140;
const LANE_OF_TRACK = 46;
const LETTER_PX = 6.2;
const LINES = 5;
const STEP_LU = 6;
const ABOVE_AIM_LU = 12;
const WEIGHT = { narration: 1.3, dialogue: 1.45, music: 1.25, effects: 1.0, atmosphere: 0.9 };

// before: the score that is drawn, null where there is none; staves and lane that stand as they were are the same objects.
export function layoutScore(model, width, availableHeight, before = null) {
  const staves = model.state.staves;
  const total = staves.reduce((sum, stave) => sum + WEIGHT[kindOf(stave.role)], 0) || 1;
  const room = availableHeight - RULER_HEIGHT - GAP * (staves.length + 2) - LANE_HEIGHT;
  const spare = Math.max(0, room - LEAST_STAVE * staves.length);
  let top = RULER_HEIGHT + GAP;
  const rows = staves.map((stave) => {
    const closed = LEAST_STAVE + Math.min(MOST_MORE, Math.floor((spare * WEIGHT[kindOf(stave.role)]) / total));
    const height = model.openRoles.has(stave.role) ? Math.max(closed, stave.tracks.length * LANE_OF_TRACK) : closed;
    const made = madeOf(model, stave, top, height, width);
    const known = before?.rows.find((one) => one.role === stave.role);
    const row = known && isSame(known.made, made) ? known : { ...layoutStave(model, stave, top, height, width), made };
    top += height + GAP;
    return row;
  });
  const laneTop = Math.max(top, availableHeight - LANE_HEIGHT - GAP);
  const made = [model.state.clearance, model.contours?.clearance, model.view, laneTop, width];
  const isKept = before && isSame(before.lane.made, made);
  const lane = isKept ? before.lane : { ...shapeOfLane(model, laneTop, width), made };
  return {
    width,
    height: Math.max(top + LANE_HEIGHT + GAP, availableHeight),
    rows,
    lane,
    ticks: ticksOf(model.view, width),
  };
}

// What the shapes of a stave are made of.
function madeOf(model, stave, top, height, width) {
  const { contours, state } = model;
  const clips = stave.clips.flatMap((clip) => [contours?.clips[clip.id], movedDb(model, clip)]);
  const speech = stave.is_speech ? [state.speech, model.selectedSpeech] : [];
  const chosen = stave.clips.some((clip) => clip.id === model.selectedId) ? model.selectedId : null;
  const duck = duckOf(model, stave.role);
  return [
    stave,
    top,
    height,
    width,
    model.openRoles.has(stave.role),
    model.view,
    model.drag,
    chosen,
    contours?.step_samples,
    duck,
    ...speech,
    ...clips,
  ];
}

function isSame(one, other) {
  return one.length === other.length && one.every((value, index) => value === other[index]);
}

function layoutStave(model, stave, top, height, width) {
  const pxPerDb = height / (LINES * STEP_LU);
  const topLufs = stave.aim_lufs + ABOVE_AIM_LU;
  const yOf = (lufs) => top + Math.min(Math.max((topLufs - lufs) * pxPerDb, 0), height);
  const stemShift = shiftOfStem(model, stave.role);
  const lines = [];
  for (let i = 1; i < LINES; i += 1) {
    const lufs = topLufs - i * STEP_LU;
    lines.push({
      y: Math.round(top + i * STEP_LU * pxPerDb) + 0.5,
      lufs,
      isAim: !stave.lines && Math.abs(lufs - stave.aim_lufs) < 0.01,
    });
  }
  const duck = duckOf(model, stave.role);
  const dragged =
    duck && model.drag && model.drag.target === "duck" && model.drag.id === duck.id ? pointsOf(model, duck) : null;
  const at = { yOf, top, height, width, stemShift, aim: stave.aim_lufs, isAimed: !stave.lines, duck, dragged };
  const lanes = model.openRoles.has(stave.role) ? lanesOf(stave, top, height) : [];
  const lane = new Map(lanes.map((one) => [one.id, { ...at, ...one }]));
  const clips = stave.clips
    .map((clip) => shapeOfClip(model, clip, lane.get(clip.track_id) || at))
    .filter((shape) => shape.x + shape.width > GUTTER_WIDTH && shape.x < width);
  withNames(clips, lanes.length > 0);
  const handles = duck ? shapesOfHandles(model, duck, clips, at) : [];
  const speechTop = top + height - SPEECH_HEIGHT;
  const speech = stave.is_speech ? shapesOfSpeech(model, stave, width) : [];
  return {
    role: stave.role,
    letter: stave.letter,
    isSpeech: stave.is_speech,
    top,
    height,
    lines,
    clips,
    handles,
    levels: shapesOfLevels(model, stave, at),
    trimShape: shapeOfTrim(model, stave, at),
    phrases: shapesOfPhrases(model, stave, at),
    speech,
    speechTop,
    speechHeight: SPEECH_HEIGHT,
    duck,
    pxPerDb,
    stemDb: stave.gain_db + stemShift,
    isDragged: stemShift !== 0,
    lanes,
  };
}

// An opened stave: a lane for each track, loudness upwards in each over the same 24 LU.
function lanesOf(stave, top, height) {
  const laneHeight = height / stave.tracks.length;
  const topLufs = stave.aim_lufs + ABOVE_AIM_LU;
  return stave.tracks.map((track, index) => {
    const laneTop = top + index * laneHeight;
    const yOf = (lufs) =>
      laneTop + Math.min(Math.max((topLufs - lufs) * (laneHeight / (LINES * STEP_LU)), 0), laneHeight);
    return { id: track.id, name: track.name, top: laneTop, height: laneHeight, yOf };
  });
}

// Names that would lie over another one are left out; the chosen clip always has its own.
function withNames(clips, isOpen) {
  const ordered = [...clips].sort((a, b) => Number(b.isSelected) - Number(a.isSelected) || a.x - b.x);
  const taken = [];
  for (const clip of ordered) {
    const from = Math.max(clip.x, GUTTER_WIDTH) + 6;
    const to = Math.min(from + clip.name.length * LETTER_PX, clip.x + clip.width);
    const line = isOpen ? clip.y : 0;
    clip.isNamed = clip.isSelected || !taken.some((one) => one.line === line && one.from < to && from < one.to);
    if (clip.isNamed) taken.push({ from, to, line });
  }
}

// A stem is drawn where its fader, or its level in the open, is being dragged to.
function shiftOfStem(model, role) {
  const { drag } = model;
  if (!drag || drag.id !== role) return 0;
  return drag.target === "stem" || (drag.target === "line" && drag.which === "open") ? drag.deltaDb : 0;
}

// What lies under the pointer.
export function hitTest(score, x, y) {
  if (y < RULER_HEIGHT) return { kind: "ruler" };
  if (y >= score.lane.top) return { kind: "lane", passage: passageUnder(score.lane, x) };
  const row = score.rows.find((r) => y >= r.top && y < r.top + r.height);
  if (!row) return { kind: "nothing" };
  if (x < GUTTER_WIDTH) return { kind: "stem", row };
  const level = levelUnder(row, x, y);
  if (level) return { kind: "level", row, level };
  const handle = handleUnder(row, x, y);
  if (handle) return { kind: "duck-point", row, handle };
  const speech = speechUnder(row, x, y);
  if (speech) return speech;
  const clip = clipUnder(row, x, y);
  return clip ? { kind: "clip", row, clip } : { kind: "stave", row };
}

// standing: the score that stands on the canvas, null where it is to be painted whole.
export function paintScore(context, score, theme, silentRoles, standing = null) {
  // Another height is another canvas: nothing stands on it.
  const before = standing?.height === score.height ? standing : null;
  if (!before) paintGround(context, score, theme);
  for (const row of score.rows) {
    if (before?.rows.includes(row)) continue;
    context.globalAlpha = silentRoles.has(row.role) ? 0.35 : 1;
    paintStave(context, row, score, theme);
    context.globalAlpha = 1;
  }
  if (score.lane !== before?.lane) paintLane(context, score, theme);
}

function paintLaneNames(context, row, score, theme) {
  context.font = TEXT;
  for (const lane of row.lanes) {
    const wide = context.measureText(lane.name).width;
    context.fillStyle = theme.sheet;
    context.fillRect(score.width - wide - 12, lane.top + 2, wide + 8, 14);
    context.fillStyle = theme.soft;
    context.fillText(lane.name, score.width - wide - 8, lane.top + 13);
  }
}

function paintGround(context, score, theme) {
  context.fillStyle = theme.paper;
  context.fillRect(0, 0, score.width, score.height);
  context.font = MONO;
  for (const tick of score.ticks) {
    context.fillStyle = theme.edge;
    context.fillRect(tick.x, 0, 1, score.height);
    context.fillStyle = theme.soft;
    // The buttons that zoom lie at the right end of the ruler.
    if (tick.x < score.width - ZOOM_PX) context.fillText(clock(tick.sample), tick.x + 4, 16);
  }
}

function paintStave(context, row, score, theme) {
  const alpha = context.globalAlpha;
  const colour = theme[kindOf(row.role)];
  context.fillStyle = theme.sheet;
  context.fillRect(0, row.top, score.width, row.height);
  for (const line of row.lines) {
    context.fillStyle = line.isAim ? colour : theme.rule;
    context.globalAlpha = alpha * (line.isAim ? 0.6 : 1);
    context.fillRect(GUTTER_WIDTH, line.y - 0.5, score.width, 1);
  }
  context.globalAlpha = alpha;
  for (const lane of row.lanes) {
    context.fillStyle = theme.edge;
    context.fillRect(GUTTER_WIDTH, Math.round(lane.top), score.width, 1);
  }
  for (const clip of row.clips) paintClip(context, clip, colour, theme, alpha);
  paintLaneNames(context, row, score, theme);
  paintLevels(context, row, score, colour, theme, alpha);
  paintTrim(context, row, score, theme, alpha);
  paintPhrases(context, row, colour, theme);
  paintSpeech(context, row, colour, theme, alpha);
  paintHandles(context, row, colour, theme);
  paintGrips(context, row, colour, theme);
  context.fillStyle = theme.paper;
  context.fillRect(0, row.top, GUTTER_WIDTH, row.height);
  context.font = MONO;
  context.fillStyle = theme.faint;
  for (const line of row.lines) context.fillText(signed(line.lufs, 0), 6, line.y + 3.5);
  // The grip of the whole stem, on its aim line: drag it up or down.
  const grip = row.lines.find((line) => line.isAim);
  context.fillStyle = colour;
  context.fillRect(GUTTER_WIDTH - 5, row.top, 3, row.height);
  if (row.isDragged && grip) label(context, gainText(row.stemDb), GUTTER_WIDTH + 26, grip.y, theme);
}
