// What the page knows: the state as the server measured it, the view, and what is being dragged.
// Plain data and pure functions; no drawing, no requests.

export const LEAST_VIEW_SAMPLES = 48000;

export function newModel(state) {
  return {
    state,
    contours: null,
    view: { start: 0, end: Math.max(state.length_samples, LEAST_VIEW_SAMPLES) },
    selectedId: null,
    drag: null, // { target: "clip" | "stem", id, deltaDb }
    only: new Set(),
    muted: new Set(),
  };
}

export function allClips(model) {
  return model.state.staves.flatMap((stave) => stave.clips.map((clip) => ({ ...clip, role: stave.role })));
}

export function clipsInOrder(model) {
  return allClips(model).sort((a, b) => a.start_sample - b.start_sample || Number(a.id) - Number(b.id));
}

export function selectedClip(model) {
  return allClips(model).find((clip) => clip.id === model.selectedId) || null;
}

export function staveOf(model, role) {
  return model.state.staves.find((stave) => stave.role === role);
}

export function neighbourClip(model, step) {
  const clips = clipsInOrder(model);
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
  const tracks = (roles) => model.state.staves.filter((s) => roles.has(s.role)).flatMap((s) => s.tracks.map((t) => t.id));
  return { only: tracks(model.only).join(","), mute: tracks(model.muted).join(",") };
}
