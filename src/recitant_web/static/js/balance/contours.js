// Momentary loudness of the clips in view and a little beside it, and the clearance under them, as the server has them.

// Contours as they came, each the same object as before where it is no other.
function sameOrNew(before, now) {
  const isEqual = (a, b) => a?.length === b?.length && (a || []).every((value, index) => value === b[index]);
  const isKept = (was, is) =>
    was && was.from_sample === is.from_sample && isEqual(was.tenths, is.tenths) && isEqual(was.undipped, is.undipped);
  return Object.fromEntries(Object.entries(now).map(([id, is]) => [id, isKept(before[id], is) ? before[id] : is]));
}

// A function that loads what the view of a model needs into model.contours.
export function newContours({ api, url, model, width, onLoad, onFault }) {
  let asked = 0;

  return async function load() {
    asked += 1;
    const mine = asked;
    const margin = (model.view.end - model.view.start) / 4;
    const start = Math.max(0, Math.round(model.view.start - margin));
    const end = Math.round(model.view.end + margin);
    const points = Math.min(4000, Math.round(width() * 0.75));
    try {
      const found = await api.get(`${url}?start=${start}&end=${end}&points=${points}`);
      if (mine !== asked) return;
      const levels = Object.fromEntries(
        model.base.staves.flatMap((stave) => stave.clips.map((clip) => [clip.id, clip.in_mix_lufs])),
      );
      model.contours = { ...found, clips: sameOrNew(model.contours?.clips || {}, found.clips), levels };
      onLoad();
    } catch (error) {
      onFault(error.message);
    }
  };
}
