// What the Level page knows: the state as the server measured it, what is chosen, and how the sheet is sorted.
// Plain data and pure functions; no drawing, no requests.

import { RATE_HZ } from "../lib/units.js";

export const COLUMNS = [
  { key: "name", label: "clip", isText: true },
  { key: "speaker", label: "speaker", isText: true },
  { key: "start_sample", label: "at" },
  { key: "level_lufs", label: "LUFS", title: "In the mix: over its speech where it is dialogue, else integrated" },
  { key: "distance_lu", label: "under aim over", title: "Distance to its aim, LU" },
  { key: "short_term_lufs", label: "short", title: "Highest short-term, LUFS" },
  { key: "sample_peak_dbfs", label: "peak", title: "Highest sample, dBFS" },
  { key: "true_peak_dbtp", label: "true", title: "True peak, dBTP" },
  { key: "range_lu", label: "range", title: "Loudness range, LU" },
  { key: "noise_lufs", label: "noise", title: "Noise floor, LUFS" },
  { key: "gain_db", label: "gain" },
  { key: "advised_db", label: "advised", title: "The gain that brings it to its aim" },
];
const OFF_AIM_LU = 1;

export function newModel(state, page) {
  return {
    base: state, // as the server has it
    state, // with the edits that are under way drawn in
    page,
    sort: { key: "start_sample", isUp: true },
    filter: { role: "", isOff: false, text: "" },
    chosen: new Set(),
    focusId: state.clips.length ? state.clips[0].id : null,
    target: { kind: "clip", id: state.clips.length ? state.clips[0].id : "" },
    index: 0,
    draft: null, // a chain while a value of it is being moved
    draftOf: null, // the change of the chain that makes it
    curve: null, // the parameter whose curve is open
    view: null, // what the server says that the chain does
    clipboard: null,
    anchorId: null,
    marked: null, // a range of the programme that something is learned from
  };
}

export function distanceOf(row) {
  return row.level_lufs === null || row.is_room_tone ? null : row.level_lufs - row.aim_lufs;
}

export function isOff(row) {
  const distance = distanceOf(row);
  return distance !== null && Math.abs(distance) > OFF_AIM_LU;
}

export function rowsShown(model) {
  const { role, isOff: onlyOff, text } = model.filter;
  const wanted = text.trim().toLowerCase();
  const rows = model.state.clips.filter(
    (row) =>
      (!role || row.role === role) &&
      (!onlyOff || isOff(row)) &&
      (!wanted || `${row.name} ${row.speaker} ${row.track}`.toLowerCase().includes(wanted)),
  );
  const { key, isUp } = model.sort;
  const value = (row) => (key === "distance_lu" ? distanceOf(row) : row[key]);
  const order = (a, b) => {
    const [x, y] = [value(a), value(b)];
    if (x === y) return a.start_sample - b.start_sample;
    if (x === null) return 1;
    if (y === null) return -1;
    return (typeof x === "string" ? x.localeCompare(y) : x - y) * (isUp ? 1 : -1);
  };
  return rows.sort(order);
}

export function rowOf(model, id) {
  return model.state.clips.find((row) => row.id === id) || null;
}

// The clips that an action on many goes to: the chosen ones, or the one in focus.
export function chosenIds(model) {
  const known = model.state.clips.filter((row) => model.chosen.has(row.id)).map((row) => row.id);
  return known.length ? known : model.focusId ? [model.focusId] : [];
}

export function chainOf(model, target = model.target) {
  const { state } = model;
  if (target.kind === "clip") return state.clip_chains[target.id] || [];
  if (target.kind === "track") return (state.tracks.find((t) => t.id === target.id) || { chain: [] }).chain;
  if (target.kind === "stem") return (state.stems.find((s) => s.id === target.id) || { chain: [] }).chain;
  return state.master.chain;
}

// What the processors' pictures are about: whose chain, which of them, and of which kind it is.
export function subjectOf(model) {
  const processor = (model.draft || chainOf(model))[model.index];
  return `${model.target.kind} ${model.target.id} ${model.index} ${processor ? processor.kind : ""}`;
}

// What the server said of another processor of the same chain is left out; spectra and figures of the whole chain stay.
export function dropOthersView(model) {
  const { view } = model;
  if (!view || view.subject === subjectOf(model)) return;
  const others = { static: null, response: null, reduction: null, effort: "", level_in: null };
  model.view = { ...view, ...others, subject: subjectOf(model) };
}

export function nameOf(model, target = model.target) {
  const { state } = model;
  if (target.kind === "clip") return (rowOf(model, target.id) || { name: "no clip" }).name;
  if (target.kind === "master") return "Master";
  const found = (target.kind === "track" ? state.tracks : state.stems).find((one) => one.id === target.id);
  return found ? found.name : "";
}

export function kindOf(model, name) {
  return model.page.kinds.find((kind) => kind.kind === name);
}

// Clips of the speaker of a row that sound, itself among them, in order of time; none where nobody speaks.
export function takesBeside(model, row) {
  if (!row || !row.speaker) return [];
  return model.state.clips.filter(
    (one) => one.speaker === row.speaker && one.role === row.role && !one.is_out && !one.is_room_tone,
  );
}

export function valueOf(model, processor, name) {
  const values = processor.values || {};
  return name in values ? values[name] : kindOf(model, processor.kind).parameters.find((p) => p.name === name).default;
}

// A chain with one value of one processor set; the default leaves no trace.
export function withValue(model, chain, index, name, value) {
  return chain.map((processor, i) => {
    if (i !== index) return processor;
    const values = { ...(processor.values || {}), [name]: value };
    const normal = kindOf(model, processor.kind).parameters.find((p) => p.name === name).default;
    if (value === normal) delete values[name];
    return { ...processor, values };
  });
}

export function withCurve(chain, index, name, points) {
  return chain.map((processor, i) => {
    if (i !== index) return processor;
    const curves = { ...(processor.curves || {}) };
    if (points.length) curves[name] = [...points].sort((a, b) => a[0] - b[0]);
    else delete curves[name];
    return { ...processor, curves };
  });
}

// The stretch that a curve of this target runs over, on its own clock.
export function curveSpan(model) {
  if (model.target.kind !== "clip") return { from: 0, to: Math.max(RATE_HZ, model.state.length_samples) };
  const row = rowOf(model, model.target.id);
  return row ? { from: row.in_sample, to: row.in_sample + row.length_samples } : { from: 0, to: RATE_HZ };
}

export function share(value, parameter) {
  const { least, most, is_log: isLog } = parameter;
  return isLog ? Math.log(value / least) / Math.log(most / least) : (value - least) / (most - least);
}

export function valueAt(part, parameter) {
  const inside = Math.min(1, Math.max(0, part));
  const { least, most, is_log: isLog } = parameter;
  return isLog ? least * (most / least) ** inside : least + inside * (most - least);
}

export function rounded(value, parameter) {
  const digits = parameter.unit === "Hz" && value >= 100 ? 0 : parameter.is_log && value < 1 ? 2 : 1;
  const found = Number(value.toFixed(digits));
  return Math.min(parameter.most, Math.max(parameter.least, found));
}
