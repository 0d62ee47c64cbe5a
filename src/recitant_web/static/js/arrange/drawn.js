// How an edit of the Arrange page looks before the server has answered. A state here is what the server keeps, with its clips
// as a Map by id; what only the server can know (crossfades, new clips, fitted curves) is drawn with the answer.

import { numberOf } from "../lib/fields.js";

export function applyEdit(state, data) {
  const change = CHANGES[data.kind];
  return change ? change(state, data) : state;
}

export function groupOf(state, ids) {
  const wanted = new Set(ids);
  const groups = new Set([...wanted].map((id) => state.clips.get(id)?.group).filter(Boolean));
  if (groups.size) for (const clip of state.clips.values()) if (groups.has(clip.group)) wanted.add(clip.id);
  return wanted;
}

function withClips(state, ids, change) {
  const clips = new Map(state.clips);
  for (const id of ids) if (clips.has(id)) clips.set(id, change(clips.get(id)));
  return { ...state, clips };
}

function trackBeside(state, id, by) {
  const at = state.tracks.findIndex((track) => track.id === id);
  return state.tracks[Math.min(state.tracks.length - 1, Math.max(0, at + by))]?.id ?? id;
}

function moved(state, ids, bySamples, byTracks = 0) {
  const named = new Set(ids);
  return withClips(state, groupOf(state, ids), (clip) => ({
    ...clip,
    start: Math.max(0, clip.start + bySamples),
    track: byTracks && named.has(clip.id) ? trackBeside(state, clip.track, byTracks) : clip.track,
  }));
}

function cut(clip, from, to) {
  const curve = clip.curve?.map(([at, db]) => [at - from, db]);
  return { ...clip, start: clip.start + from, in: clip.in + from, length: to - from, curve };
}

// By how many samples an edge of a clip can be moved, from and to.
export function trimLimits(state, clip, edge) {
  const shortest = state.least_clip_samples;
  if (edge === "start") return [Math.max(-clip.in, -clip.start), clip.length - shortest];
  const length = state.sources[clip.source]?.length_samples ?? Infinity;
  return [shortest - clip.length, length - clip.in - clip.length];
}

const CHANGES = {
  move: (state, { ids, by_samples: by, by_tracks: byTracks = 0 }) => moved(state, ids, by, byTracks),
  place: (state, { ids, at_sample: at }) => {
    const starts = [...groupOf(state, ids)]
      .map((id) => state.clips.get(id)?.start)
      .filter((start) => start !== undefined);
    return starts.length ? moved(state, ids, at - Math.min(...starts)) : state;
  },
  trim: (state, { id, edge, by_samples: by }) =>
    withClips(state, [id], (clip) => {
      const [least, most] = trimLimits(state, clip, edge);
      const within = Math.min(Math.max(by, least), most);
      return edge === "start" ? cut(clip, within, clip.length) : cut(clip, 0, clip.length + within);
    }),
  slip: (state, { id, by_samples: by }) =>
    withClips(state, [id], (clip) => {
      const length = state.sources[clip.source]?.length_samples ?? Infinity;
      return { ...clip, in: Math.min(Math.max(0, clip.in - by), length - clip.length) };
    }),
  level: (state, { ids, by_db: by }) =>
    Number.isFinite(numberOf(by))
      ? withClips(state, groupOf(state, ids), (clip) => ({ ...clip, gain_db: clip.gain_db + numberOf(by) }))
      : state,
  fade: (state, { ids, edge, length_samples: length, shape }) =>
    withClips(state, ids, (clip) => {
      const name = `fade_${edge}`;
      return { ...clip, [name]: [Math.min(Math.max(0, length), clip.length), shape || clip[name][1]] };
    }),
  curve: (state, { ids, points }) => withClips(state, ids, (clip) => ({ ...clip, curve: points })),
  point: (state, { id, index, at_sample: at, gain_db: db }) =>
    withClips(state, [id], (clip) =>
      clip.curve?.[index] && Number.isFinite(numberOf(db))
        ? { ...clip, curve: clip.curve.map((point, i) => (i === index ? [at, numberOf(db)] : point)) }
        : clip,
    ),
  name: (state, { ids, name }) => withClips(state, ids, (clip) => ({ ...clip, name })),
  delete: (state, { ids, close_gap: closes }) => {
    if (closes) return state;
    const clips = new Map(state.clips);
    for (const id of groupOf(state, ids)) clips.delete(id);
    return { ...state, clips };
  },
  fades: (state, { ids, in_samples: inside, out_samples: out, in_shape: inShape, out_shape: outShape }) =>
    withClips(state, ids, (clip) => ({
      ...clip,
      fade_in: [Math.min(inside ?? clip.fade_in[0], clip.length), inShape || clip.fade_in[1]],
      fade_out: [Math.min(out ?? clip.fade_out[0], clip.length), outShape || clip.fade_out[1]],
    })),
  "in-mix": (state, { ids = [], track_ids: trackIds = [], is_out: isOut }) => ({
    ...withClips(state, ids, (clip) => ({ ...clip, is_out: isOut })),
    tracks: state.tracks.map((track) => (trackIds.includes(track.id) ? { ...track, is_out: isOut } : track)),
  }),
  "to-track": (state, { ids, track_id: track }) =>
    track ? withClips(state, ids, (clip) => ({ ...clip, track })) : state,
  "tracks-remove-empty": (state) => {
    const used = new Set([...state.clips.values()].map((clip) => clip.track));
    return { ...state, tracks: state.tracks.filter((track) => used.has(track.id)) };
  },
  lock: (state, { is_locked: isLocked }) => ({ ...state, is_picture_locked: isLocked }),
  "track-set": (state, { kind: _, id, ...fields }) => ({
    ...state,
    tracks: state.tracks.map((track) => (track.id === id ? { ...track, ...fields } : track)),
  }),
  "track-order": (state, { id, to }) => {
    const tracks = [...state.tracks];
    const at = tracks.findIndex((track) => track.id === id);
    if (at < 0) return state;
    tracks.splice(Math.min(tracks.length - 1, Math.max(0, to)), 0, ...tracks.splice(at, 1));
    return { ...state, tracks };
  },
  "marker-set": (state, { kind: _, id, marker, ...fields }) => ({
    ...state,
    markers: state.markers.map((one) =>
      one.id === id ? { ...one, ...fields, ...(marker ? { kind: marker } : {}) } : one,
    ),
  }),
  "marker-remove": (state, { id }) => ({ ...state, markers: state.markers.filter((one) => one.id !== id) }),
};
