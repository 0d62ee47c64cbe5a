// How an edit of the Balance page looks before the server has answered: gains, rules, points of dips, what is asked.

import { numberOf } from "../lib/fields.js";

export function applyEdit(state, data) {
  if (data.kind === "gain") return withGain(state, data);
  if (data.kind === "stem-levels") return withLevels(state, data);
  if (data.kind === "programme-gain") return withProgrammeGain(state, data);
  if (data.kind === "duck-point") return withPoint(state, data);
  if (data.kind === "duck-rule") return withRule(state, data);
  if (data.kind === "spec") return { ...state, spec: { ...state.spec, id: data.spec_id } };
  if (data.kind === "clearance") return withAsked(state, data);
  return state;
}

export function gainOf(state, target, id) {
  if (target === "stem") return state.staves.find((stave) => stave.role === id)?.gain_db ?? null;
  const all = state.staves.flatMap((stave) => (target === "clip" ? stave.clips : stave.tracks));
  return all.find((one) => one.id === id)?.gain_db ?? null;
}

// More or less gain than stands there when its turn comes; null where it is gone.
export const gainMoved = (target, id) => (state, byDb) => {
  const now = gainOf(state, target, id);
  return now === null ? null : { kind: "gain", target, id, gain_db: String(Math.round((now + byDb) * 100) / 100) };
};

const lifted = (clip, byDb) => ({ ...clip, in_mix_lufs: clip.in_mix_lufs === null ? null : clip.in_mix_lufs + byDb });

function withGain(state, { target, id, gain_db: text }) {
  const wanted = numberOf(text);
  const was = gainOf(state, target, id);
  if (!Number.isFinite(wanted) || was === null) return state;
  const byDb = wanted - was;
  const staves = state.staves.map((stave) => {
    if (target === "stem")
      return stave.role === id ? { ...stave, gain_db: wanted, clips: stave.clips.map((c) => lifted(c, byDb)) } : stave;
    if (target === "track") {
      if (!stave.tracks.some((track) => track.id === id)) return stave;
      return {
        ...stave,
        tracks: stave.tracks.map((t) => (t.id === id ? { ...t, gain_db: wanted } : t)),
        clips: stave.clips.map((c) => (c.track_id === id ? lifted(c, byDb) : c)),
      };
    }
    return stave.clips.some((clip) => clip.id === id)
      ? { ...stave, clips: stave.clips.map((c) => (c.id === id ? { ...lifted(c, byDb), gain_db: wanted } : c)) }
      : stave;
  });
  return { ...state, staves };
}

// The two levels of a stem: its fader moves with the one in the open.
function withLevels(state, { id, open_lu: open, under_lu: under }) {
  const duck = state.ducks.find((one) => one.id === id);
  if (!duck) return state;
  const byDb = open - duck.rule.open_lu;
  const stave = state.staves.find((one) => one.role === duck.stem);
  const raised = withGain(state, { target: "stem", id: duck.stem, gain_db: String(stave.gain_db + byDb) });
  const staves = raised.staves.map((one) =>
    one.role === duck.stem && one.lines
      ? {
          ...one,
          lines: { ...one.lines, open_lufs: one.lines.aim_lufs + open, under_lufs: one.lines.aim_lufs + under },
        }
      : one,
  );
  return withRule({ ...raised, staves }, { id, rule: { open_lu: open, under_lu: under } });
}

function withProgrammeGain(state, { gain_db: text }) {
  const gainDb = numberOf(text);
  if (!Number.isFinite(gainDb)) return state;
  const byDb = gainDb - state.programme_gain_db;
  const staves = state.staves.map((stave) => ({
    ...stave,
    clips: stave.clips.map((clip) => lifted(clip, byDb)),
    lines:
      stave.lines &&
      Object.fromEntries(Object.entries(stave.lines).map(([k, v]) => [k, k === "duck_id" ? v : v + byDb])),
  }));
  return { ...state, staves, programme_gain_db: gainDb };
}

// The edit that moves one of the two levels of a stem by some dB, from where it is when its turn comes.
export function levelsMoved(state, role, which, byDb) {
  const duck = state.ducks.find((one) => one.stem === role && one.rule.aim === "levels");
  if (!duck) return null;
  const rounded = (value) => Math.round(value * 10) / 10;
  const { open_lu: open, under_lu: under } = duck.rule;
  return {
    kind: "stem-levels",
    id: duck.id,
    open_lu: rounded(open + (which === "open" ? byDb : 0)),
    under_lu: rounded(under + (which === "under" ? byDb : 0)),
  };
}

function withAsked(state, { asked_lu: asked, least_s: least }) {
  const [askedLu, leastS] = [asked, least].map(numberOf);
  return Number.isFinite(askedLu) && Number.isFinite(leastS)
    ? { ...state, clearance: { ...state.clearance, asked_lu: askedLu, least_s: leastS } }
    : state;
}

function withPoint(state, { id, index, at_sample: at, gain_db: text }) {
  const gainDb = numberOf(text);
  if (!Number.isFinite(gainDb)) return state;
  const ducks = state.ducks.map((duck) =>
    duck.id !== id
      ? duck
      : { ...duck, points: duck.points.map((point, i) => (i === index ? [at, gainDb, true] : point)) },
  );
  return { ...state, ducks };
}

// The place of a point in a dip that may have been remade since; -1 where it is gone.
export function pointIndex(state, duckId, atSample) {
  const duck = state.ducks.find((one) => one.id === duckId);
  return duck ? duck.points.findIndex(([at]) => at === atSample) : -1;
}

function withRule(state, { id, rule: change }) {
  const read = (value) => {
    const number = typeof value === "string" && value.trim() ? Number(value.replace("−", "-").replace(",", ".")) : NaN;
    return Number.isFinite(number) ? number : value;
  };
  const merged = (rule) => {
    const next = { ...rule };
    for (const [name, value] of Object.entries(change)) {
      const isPart = value && typeof value === "object" && !Array.isArray(value);
      next[name] = isPart
        ? { ...rule[name], ...Object.fromEntries(Object.entries(value).map(([part, v]) => [part, read(v)])) }
        : read(value);
    }
    return next;
  };
  return { ...state, ducks: state.ducks.map((duck) => (duck.id === id ? { ...duck, rule: merged(duck.rule) } : duck)) };
}
