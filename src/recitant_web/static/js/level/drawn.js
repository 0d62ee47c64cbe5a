// How an edit of the Level page looks before the server has answered: gains with the levels that follow from them, chains,
// rides, settings of tracks.

import { numberOf } from "../lib/fields.js";
import { chainOf } from "./model.js";

const FOLLOW_GAIN = ["level_lufs", "short_term_lufs", "noise_lufs", "sample_peak_dbfs", "true_peak_dbtp"];

// kinds: of processors with their parameters, as the page got them.
export function applyEdit(state, data, kinds) {
  switch (data.kind) {
    case "gain":
      return withGain(state, data);
    case "gains":
      return withClipGains(state, new Map(data.gains.map(([id, gainDb]) => [String(id), numberOf(gainDb)])));
    case "chain":
      return withChain(state, { ...data, chain: data.chain.map((one) => drawable(one, kinds)) });
    case "spec":
      return { ...state, spec: { ...state.spec, id: data.spec_id } };
    case "zones":
      return { ...state, zones: { ...state.zones, ...typedNumbers(data, Object.keys(state.zones)) } };
    case "ride":
      return data.mode === "set" ? withRide(state, data) : state;
    case "track-set":
      return {
        ...state,
        tracks: state.tracks.map((track) => (track.id === data.id ? { ...track, ...settings(data) } : track)),
      };
    case "speaker":
      return {
        ...state,
        clips: state.clips.map((row) => (data.ids.includes(row.id) ? { ...row, speaker: data.name } : row)),
      };
    default:
      return state;
  }
}

// A processor whose typed values are numbers; what is none is drawn as it was by itself until the server says so.
function drawable(processor, kinds) {
  const parameters = kinds.find((kind) => kind.kind === processor.kind)?.parameters || [];
  const values = {};
  for (const [name, value] of Object.entries(processor.values || {})) {
    const isChoice = parameters.find((one) => one.name === name)?.choices.length;
    const known = isChoice ? value : numberOf(value);
    if (isChoice || Number.isFinite(known)) values[name] = known;
  }
  const curves = Object.fromEntries(
    Object.entries(processor.curves || {}).map(([name, points]) => [
      name,
      points.filter((point) => Number.isFinite(numberOf(point[1]))).map(([at, value]) => [at, numberOf(value)]),
    ]),
  );
  return { ...processor, ...(processor.values ? { values } : {}), ...(processor.curves ? { curves } : {}) };
}

function typedNumbers(data, names) {
  return Object.fromEntries(
    names.filter((name) => Number.isFinite(numberOf(data[name] ?? ""))).map((name) => [name, numberOf(data[name])]),
  );
}

function lifted(row, byDb) {
  const moved = Object.fromEntries(FOLLOW_GAIN.map((name) => [name, row[name] === null ? null : row[name] + byDb]));
  return { ...row, ...moved };
}

function withClipGains(state, gains) {
  return {
    ...state,
    clips: state.clips.map((row) => {
      const wanted = gains.get(row.id);
      return Number.isFinite(wanted) ? { ...lifted(row, wanted - row.gain_db), gain_db: wanted } : row;
    }),
  };
}

function withGain(state, { target, id, gain_db: text }) {
  const wanted = numberOf(text);
  if (!Number.isFinite(wanted)) return state;
  if (target === "clip") return withClipGains(state, new Map([[id, wanted]]));
  const list = target === "track" ? "tracks" : "stems";
  const was = state[list].find((one) => one.id === id);
  if (!was) return state;
  const isMine = (row) => (target === "track" ? row.track_id === id : row.role === id);
  return {
    ...state,
    [list]: state[list].map((one) => (one.id === id ? { ...one, gain_db: wanted } : one)),
    clips: state.clips.map((row) => (isMine(row) ? lifted(row, wanted - was.gain_db) : row)),
  };
}

function withChain(state, { target, ids, chain }) {
  if (target === "master") return { ...state, master: { ...state.master, chain } };
  if (target !== "clip") {
    const list = target === "track" ? "tracks" : "stems";
    return { ...state, [list]: state[list].map((one) => (ids.includes(one.id) ? { ...one, chain } : one)) };
  }
  const kinds = chain.map((processor) => processor.kind);
  return {
    ...state,
    clip_chains: { ...state.clip_chains, ...Object.fromEntries(ids.map((id) => [id, chain])) },
    clips: state.clips.map((row) => (ids.includes(row.id) ? { ...row, chain: kinds } : row)),
  };
}

function withRide(state, { target, id, points, is_first: isFirst }) {
  const list = target === "track" ? "tracks" : "stems";
  const ride = points.length ? { points, is_first: isFirst } : {};
  return { ...state, [list]: state[list].map((one) => (one.id === id ? { ...one, ride } : one)) };
}

function settings(data) {
  const found = {};
  if ("is_mono" in data) found.is_mono = data.is_mono;
  if (Number.isFinite(numberOf(data.pan ?? ""))) found.pan = numberOf(data.pan);
  return found;
}

// An edit of the chain of a target, computed from the chain that stands there when its turn comes.
export function chainEdit(target, ids, change) {
  return (state) => ({ kind: "chain", target: target.kind, ids, chain: change(chainOf({ state }, target)) });
}
