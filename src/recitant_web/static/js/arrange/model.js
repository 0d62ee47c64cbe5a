// What the Arrange page knows: the timeline as the server keeps it, the view, the selection, and the gesture under way.
// Plain data and pure functions; no drawing, no requests.

import { groupOf } from "./drawn.js";
import { RATE_HZ } from "../lib/units.js";

const LEAST_VIEW = 2400;
const END_ROOM = RATE_HZ * 10;

export function newModel(state) {
  const model = {
    base: null, // as the server has it, with its clips as a Map
    state: null, // with the edits that are under way drawn in
    clips: new Map(), // those of the state
    view: { start: 0, end: Math.max(state.all_samples * 1.02, RATE_HZ * 10) },
    selected: new Set(),
    track: null,
    gesture: null, // { kind, ids, ... } as gestures.js makes it; effective() shows it before the server knows
    range: null, // [in, out] in samples
    isLooping: false,
    isSnapping: true,
    isCurves: false,
    isSplit: false, // both channels apart
    zoom: 1,
    hidesEmpty: false,
    muted: new Set(),
    soloed: new Set(),
    copied: [],
    time: { where: "all", leavesPicture: false }, // what gaps are closed and opened on
  };
  takeState(model, state);
  return model;
}

export function takeState(model, state) {
  for (const [key, source] of Object.entries(state.sources)) source.key = key;
  model.base = { ...state, clips: new Map(state.clips.map((clip) => [clip.id, clip])) };
  shown(model, model.base);
}

export function takeDelta(model, delta) {
  const { changed, removed, sources, ...rest } = delta;
  const clips = new Map(model.base.clips);
  for (const clip of changed) clips.set(clip.id, clip);
  for (const id of removed) clips.delete(id);
  const known = { ...model.base.sources };
  if (sources) for (const [key, source] of Object.entries(sources)) known[key] = { ...source, key };
  model.base = { ...model.base, ...rest, clips, sources: known };
  shown(model, model.base);
}

// The state that is drawn: what the server has, with the edits that are under way.
export function shown(model, state) {
  model.state = state;
  model.clips = state.clips;
  prune(model);
}

function prune(model) {
  for (const id of model.selected) if (!model.clips.has(id)) model.selected.delete(id);
  if (!model.state.tracks.some((track) => track.id === model.track)) model.track = model.state.tracks[0]?.id || null;
}

// A clip as it would be if the gesture ended now.
export function effective(model, clip) {
  const { gesture } = model;
  if (!gesture || !gesture.ids.has(clip.id)) return clip;
  const by = gesture.by || 0;
  switch (gesture.kind) {
    case "move":
      return {
        ...clip,
        start: clip.start + by,
        track: trackAfter(model, clip.track, gesture.isGrabbed(clip.id) ? gesture.byTracks : 0),
      };
    case "trim-start":
      return cut(clip, by, clip.length);
    case "trim-end":
      return cut(clip, 0, clip.length + by);
    case "slip":
      return { ...clip, in: clip.in - by };
    case "fade-in":
      return { ...clip, fade_in: [gesture.length, clip.fade_in[1]] };
    case "fade-out":
      return { ...clip, fade_out: [gesture.length, clip.fade_out[1]] };
    case "point":
      return { ...clip, curve: gesture.points };
    default:
      return clip;
  }
}

function cut(clip, from, to) {
  const curve = clip.curve?.map(([at, db]) => [at - from, db]);
  return { ...clip, start: clip.start + from, in: clip.in + from, length: to - from, curve };
}

function trackAfter(model, id, by) {
  if (!by) return id;
  const tracks = shownTracks(model);
  const at = tracks.findIndex((track) => track.id === id);
  return tracks[Math.min(tracks.length - 1, Math.max(0, at + by))]?.id ?? id;
}

export function shownTracks(model) {
  if (!model.hidesEmpty) return model.state.tracks;
  const used = new Set([...model.clips.values()].map((clip) => clip.track));
  return model.state.tracks.filter((track) => used.has(track.id));
}

export function withGroup(model, ids) {
  return groupOf(model.state, ids);
}

export function inOrder(model) {
  const place = new Map(model.state.tracks.map((track, i) => [track.id, i]));
  return [...model.clips.values()].sort((a, b) => a.start - b.start || place.get(a.track) - place.get(b.track));
}

export function clipsAt(model, sample, ids = null) {
  return [...model.clips.values()].filter(
    (c) => (!ids || ids.has(c.id)) && c.start < sample && sample < c.start + c.length,
  );
}

// Neighbours on one track that sound at once, the earlier first: the crossfades a clip has a part in.
export function crossfadesOf(model, clip) {
  const beside = [...model.clips.values()].filter(
    (c) =>
      c.track === clip.track &&
      c.id !== clip.id &&
      c.start < clip.start + clip.length &&
      clip.start < c.start + c.length,
  );
  return beside.map((other) => (other.start < clip.start ? [other, clip] : [clip, other]));
}

export function longest(model) {
  return Math.max(model.state.all_samples + END_ROOM, RATE_HZ * 20);
}

export function zoomed(model, factor, around) {
  const { view } = model;
  const length = Math.min(longest(model), Math.max(LEAST_VIEW, (view.end - view.start) * factor));
  const share = (around - view.start) / (view.end - view.start);
  return placed(model, around - share * length, length);
}

export function scrolled(model, by) {
  return placed(model, model.view.start + by, model.view.end - model.view.start);
}

function placed(model, start, length) {
  const first = Math.min(Math.max(0, start), Math.max(0, longest(model) - length));
  return { start: first, end: first + length };
}

// Places worth snapping to: clip edges, markers, the playhead, the range, and where speech starts.
export function snapPlaces(model, playhead, skip) {
  const places = [
    { at: 0, what: "start" },
    { at: playhead, what: "playhead" },
  ];
  for (const marker of model.state.markers) places.push({ at: marker.at_sample, what: marker.text || marker.kind });
  if (model.range) for (const at of model.range) places.push({ at, what: "range" });
  const { start, end } = model.view;
  for (const clip of model.clips.values()) {
    if (skip.has(clip.id) || clip.start > end || clip.start + clip.length < start) continue;
    places.push({ at: clip.start, what: clip.name }, { at: clip.start + clip.length, what: clip.name });
    const source = model.state.sources[clip.source];
    for (const [at] of source?.speech || []) {
      const inside = at - clip.in;
      if (inside > 0 && inside < clip.length) places.push({ at: clip.start + inside, what: "speech" });
    }
  }
  return places;
}

// How far to go on from a wished shift so that one of these edges lands on a place nearby.
export function snapped(places, edges, by, reach) {
  let best = null;
  for (const edge of edges) {
    for (const place of places) {
      const off = place.at - (edge + by);
      if (Math.abs(off) <= reach && (!best || Math.abs(off) < Math.abs(best.off)))
        best = { off, at: place.at, what: place.what };
    }
  }
  return best ? { by: by + best.off, at: best.at, what: best.what } : { by, at: null, what: null };
}

export function heardParameters(model) {
  return { only: [...model.soloed].join(","), mute: [...model.muted].join(",") };
}
