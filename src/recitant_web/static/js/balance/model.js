// What the page knows: the state as the server measured it, the view, and what is being dragged.
// Plain data and pure functions; no drawing, no requests.

import { RATE_HZ } from "../lib/units.js";

const LEAST_VIEW_SAMPLES = RATE_HZ;

export function newModel(state) {
  return {
    base: state, // as the server has it
    state, // with the edits that are under way drawn in
    contours: null, // with levels: what each clip read when they were made
    view: { start: 0, end: Math.max(state.length_samples, LEAST_VIEW_SAMPLES) },
    selectedId: null,
    selectedSpeech: null, // { clipId, from, to } of the chosen stretch of speech
    focusRole: null, // the stave whose giving way the panel shows
    drag: null, // { target: "clip" | "stem" | "line", id, deltaDb }, { target: "duck", id, was, index, at, gainDb } or { target: "speech", ... }
    openRoles: new Set(), // staves that are shown track by track
    only: new Set(),
    muted: new Set(),
  };
}

// How far a clip has moved in loudness since the contours that are drawn were made.
export function movedDb(model, clip) {
  const was = model.contours?.levels?.[clip.id];
  return was === undefined || was === null || clip.in_mix_lufs === null ? 0 : clip.in_mix_lufs - was;
}

export function clipsByTime(model) {
  const clips = model.state.staves.flatMap((stave) => stave.clips);
  return clips.sort((a, b) => a.start_sample - b.start_sample || Number(a.id) - Number(b.id));
}

// The chosen clip with the role of its stave; null where none is chosen.
export function selectedClip(model) {
  for (const { role, clips } of model.state.staves) {
    const found = clips.find((clip) => clip.id === model.selectedId);
    if (found) return { ...found, role };
  }
  return null;
}

// What gives way on a stave: the stem, or else the first of its tracks that does by itself.
export function duckOf(model, role) {
  const mine = model.state.ducks.filter((duck) => duck.role === role);
  return mine.find((duck) => duck.stem) || mine[0] || null;
}

// The points of a curve, with the one that is being dragged where the pointer has it.
export function pointsOf(model, duck) {
  const drag = model.drag && model.drag.target === "duck" && model.drag.id === duck.id ? model.drag : null;
  return duck.points.map(([at, db, pinned], index) =>
    drag && drag.index === index ? [drag.at, drag.gainDb, true] : [at, db, pinned],
  );
}

export function gainAt(points, sample) {
  if (!points.length) return 0;
  if (sample <= points[0][0]) return points[0][1];
  for (let i = 1; i < points.length; i += 1) {
    const [at, db] = points[i];
    const [before, beforeDb] = points[i - 1];
    if (sample <= at) return beforeDb + ((db - beforeDb) * (sample - before)) / (at - before);
  }
  return points.at(-1)[1];
}

// The close passage that the playhead is in, or the next one, or the first.
export function passageAt(model, sample, step = 0) {
  const { passages } = model.state.clearance;
  if (!passages.length) return null;
  if (step > 0) return passages.find((p) => p.start_sample > sample + 1) || passages[0];
  if (step < 0)
    return [...passages].reverse().find((p) => p.start_sample + p.length_samples < sample) || passages.at(-1);
  return passages.find((p) => p.start_sample + p.length_samples > sample) || passages[0];
}

export function staveOf(model, role) {
  return model.state.staves.find((stave) => stave.role === role);
}

export function neighbourClip(model, step) {
  const clips = clipsByTime(model);
  if (!clips.length) return null;
  const at = clips.findIndex((clip) => clip.id === model.selectedId);
  return clips[at < 0 ? (step > 0 ? 0 : clips.length - 1) : (at + step + clips.length) % clips.length];
}

export function zoomed(view, factor, aroundSample, lengthSamples) {
  const longest = Math.max(lengthSamples, LEAST_VIEW_SAMPLES);
  const length = Math.min(longest, Math.max(LEAST_VIEW_SAMPLES, (view.end - view.start) * factor));
  const share = (aroundSample - view.start) / (view.end - view.start);
  return placed(aroundSample - share * length, length, longest);
}

export function scrolled(view, bySamples, lengthSamples) {
  return placed(view.start + bySamples, view.end - view.start, Math.max(lengthSamples, LEAST_VIEW_SAMPLES));
}

function placed(start, length, longest) {
  const first = Math.round(Math.min(Math.max(0, start), longest - length));
  return { start: first, end: Math.round(first + length) };
}

// Tracks that sound: mute and only act on whole staves here, and on hearing alone.
export function heardParameters(model) {
  const tracks = (roles) =>
    model.state.staves.filter((s) => roles.has(s.role)).flatMap((s) => s.tracks.map((t) => t.id));
  return { only: tracks(model.only).join(","), mute: tracks(model.muted).join(",") };
}
