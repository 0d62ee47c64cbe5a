// The Level page: holds the sheet, the stave, the chain, the player and the server together.

import { newApi } from "../lib/api.js";
import { isTyping, keepingFocus } from "../lib/dom.js";
import { newEditQueue } from "../lib/edits.js";
import { gainText, signed, timecode } from "../lib/units.js";
import { themeOf } from "../desk/paint.js";
import { Player } from "../desk/player.js";
import { showVerdict } from "../desk/side.js";
import { newChain } from "./chain.js";
import { applyEdit, chainEdit } from "./drawn.js";
import { newEven } from "./even.js";
import { newHear } from "./hear.js";
import { newMeters } from "./meters.js";
import { chainOf, chosenIds, isOff, newModel, rowOf, rowsShown } from "./model.js";
import { newRide } from "./ride.js";
import { newSheet } from "./sheet.js";
import { newStrip } from "./strip.js";

const page = document.getElementById("level");
const theme = themeOf(document.documentElement);
const byId = (id) => document.getElementById(id);
const model = newModel(JSON.parse(byId("state").textContent), JSON.parse(byId("page").textContent));
const api = newApi(page.dataset);
const queue = newEditQueue({
  post: api.edit,
  refetch: api.state,
  base: () => model.base,
  apply: (state, data) => applyEdit(state, data, model.page.kinds),
  adopt: take,
  refuse: (error) => { model.draft = null; model.draftOf = null; say(error.message); },
  draw: () => { model.state = queue.over(model.base); show(); },
});
const edit = queue.add;
const PLAY_SHAPE = "M3 1l12 7-12 7z";
const STOP_SHAPE = "M2 2h12v12H2z";
const HERE_SAMPLES = 24000;
const NUDGE_WAIT_MS = 300;
const MANY_CLIPS = 300; // from here on the page asks less often how far the exact figures are
const PEAKS_PAUSE_MS = 600;

const loop = { isOn: false };
const player = new Player(page.dataset.sound, {
  parameters: () => ({ hear: "mix", revision: model.state.revision, ...hear.parameters() }),
  length: () => model.state.length_samples,
  onFault: say,
  loop: () => {
    const row = loop.isOn && rowOf(model, model.focusId);
    return row ? [row.start_sample, row.start_sample + row.length_samples] : null;
  },
});
const hear = newHear({ box: byId("hear"), model, refresh: () => { player.refresh(); chain.show(); }, position: () => player.position(), loop });

const actions = {
  sort: (key) => { model.sort = { key, isUp: model.sort.key === key ? !model.sort.isUp : true }; sheet.show(); },
  choose: (id, { isRange = false, isMore = false, isKey = false }) => {
    if (isRange) {
      const rows = rowsShown(model).map((row) => row.id);
      const [a, b] = [rows.indexOf(model.anchorId ?? model.focusId), rows.indexOf(id)];
      for (const one of rows.slice(Math.min(a, b), Math.max(a, b) + 1)) model.chosen.add(one);
    } else if (isMore) {
      if (model.chosen.has(id)) model.chosen.delete(id); else model.chosen.add(id);
      model.anchorId = id;
    } else { if (!isKey || model.chosen.size < 2) model.chosen.clear(); model.anchorId = id; }
    focus(id);
  },
  goTo: (id) => { const row = rowOf(model, id); if (row) { actions.seek(row.start_sample); player.play(); } },
  seek: (sample) => { player.seek(sample); strip.paint(); },
  setGain: (id, text) => edit({ kind: "gain", target: "clip", id, gain_db: String(text) }),
  advise: (ids = chosenIds(model)) => {
    const gains = ids.map((id) => rowOf(model, id)).filter((row) => row && row.advised_db !== null && Math.abs(row.advised_db - row.gain_db) > 0.04).map((row) => [row.id, row.advised_db]);
    if (gains.length) edit({ kind: "gains", gains }); else say("They are at their aim already, or cannot be measured.");
  },
  nudge: (by) => {
    const ids = chosenIds(model);
    return edit(moreGain(ids), { key: `nudge ${ids.join()}`, amount: by, holdMs: NUDGE_WAIT_MS });
  },
  lift: (id, byDb) => edit(moreGain([id]), { amount: byDb }),
  aimAt: (kind) => {
    const row = rowOf(model, model.focusId);
    if (kind === "clip") model.target = { kind, id: model.focusId };
    else if (kind === "track") model.target = { kind, id: row ? row.track_id : model.state.tracks[0]?.id };
    else if (kind === "stem") model.target = { kind, id: row ? row.role : model.state.stems[0]?.id };
    else model.target = { kind, id: "mix" };
    model.index = 0; model.draft = null; model.curve = null; model.view = null;
    chain.show(); ride.show(); actions.look();
  },
  // change: the chain that stands there when its turn comes, to the chain that is wanted.
  setChain: (change, { key = null } = {}) => {
    const target = { ...model.target };
    const ids = target.kind === "clip" ? chosenIds(model) : [target.id];
    model.draft = null;
    model.draftOf = null;
    return edit(chainEdit(target, ids, change), { key, holdMs: key ? NUDGE_WAIT_MS : 0 });
  },
  addProcessor: async (kind) => {
    const stages = ["repair", "tone", "dynamics", "space"];
    const stage = (one) => stages.indexOf(model.page.kinds.find((k) => k.kind === one).stage);
    const placeIn = (now) => now.map((p) => stage(p.kind) <= stage(kind)).lastIndexOf(true) + 1;
    model.index = placeIn(chainOf(model));
    const done = await actions.setChain((now) => [...now.slice(0, placeIn(now)), { kind }, ...now.slice(placeIn(now))]);
    if (done && kind === "noise") actions.find("noise");
  },
  bypass: () => {
    const { index } = model;
    if (chainOf(model)[index]) actions.setChain((now) => now.map((p, i) => (i === index ? { ...p, is_bypassed: !p.is_bypassed } : p)));
  },
  moveProcessor: (by) => {
    const { index } = model;
    const to = index + by;
    if (to < 0 || to >= chainOf(model).length) return;
    model.index = to;
    actions.setChain((now) => {
      const next = [...now];
      next.splice(to, 0, ...next.splice(index, 1));
      return next;
    });
  },
  find: async (what, { name = "", isHere = false } = {}) => {
    const at = Math.round(player.position());
    const span = isHere ? { from_sample: Math.max(0, at - HERE_SAMPLES), to_sample: at + HERE_SAMPLES } : { from_sample: 0, to_sample: 0 };
    try {
      const found = await api.post(page.dataset.find, { what, target: model.target.kind, id: model.target.id, name, at_sample: at, ...span });
      const { index } = model;
      const [first] = found.chain;
      const sameIn = (now) => (now[index]?.kind === first.kind ? index : now.findIndex((p) => p.kind === first.kind));
      const renewed = (p) => ({ ...p, values: { ...(p.values || {}), ...(first.values || {}) }, ...(first.profile_db ? { profile_db: first.profile_db } : {}) });
      const change = (now) => {
        if (what === "start") return found.chain;
        const same = sameIn(now);
        if (same >= 0) return now.map((p, i) => (i === same ? renewed(p) : p));
        return [...now.slice(0, found.place), first, ...now.slice(found.place)];
      };
      const same = sameIn(chainOf(model));
      model.index = what === "start" ? 0 : same >= 0 ? same : found.place;
      if (await actions.setChain(change)) say(found.words);
    } catch (error) { say(error.message); }
  },
  usePreset: async (id) => {
    try {
      const found = await api.post(page.dataset.presets, { do: "read", id });
      model.index = 0;
      await actions.setChain(() => found.chain);
    } catch (error) { say(error.message); }
  },
  keepPreset: () => { byId("preset-dialog").showModal(); },
  spread: (by) => {
    const row = rowOf(model, model.target.id);
    if (!row || !row[by]) { say(by === "group" ? "This clip is in no group." : "Nobody is named as its speaker."); return; }
    const ids = model.state.clips.filter((one) => one[by] === row[by] && one.role === row.role).map((one) => one.id);
    const target = { ...model.target };
    edit((state) => ({ kind: "chain", target: "clip", ids, chain: chainOf({ state }, target) }));
  },
  placeOnCurve: (span) => {
    const row = rowOf(model, model.target.id);
    const at = model.target.kind === "clip" && row ? player.position() - row.start_sample + row.in_sample : player.position();
    return Math.round(Math.min(span.to, Math.max(span.from, at)));
  },
  look: () => { clearTimeout(lookTimer); lookTimer = setTimeout(look, 60); },
  wholeReduction: async () => {
    try {
      const found = await api.post(page.dataset.whole, { ...lookAt() });
      model.view = { ...model.view, ...found, from_sample: 0, whole: true };
      chain.showView();
    } catch (error) { say(error.message); }
  },
  said: (words) => say(words),
};

// More or less gain than stands there when its turn comes, on clips that are still there.
function moreGain(ids) {
  return (state, byDb) => {
    const rows = state.clips.filter((row) => ids.includes(row.id));
    return rows.length ? { kind: "gains", gains: rows.map((row) => [row.id, Math.round((row.gain_db + byDb) * 100) / 100]) } : null;
  };
}

function lookAt() { return { target: model.target.kind, id: model.target.id, index: model.index, at_sample: Math.round(player.position()), chain: model.draft || chainOf(model) }; }

let lookTimer = null;
let looked = 0;
let isLooking = false;
async function look() {
  if (!model.target.id || !model.state.length_samples) return;
  if (isLooking) { looked += 1; return; }
  isLooking = true;
  const mine = looked;
  try {
    const found = await api.post(page.dataset.view, lookAt());
    model.view = found;
    chain.showView();
    if (model.draft) player.refresh();
  } catch (error) { if (!model.draft) say(error.message); }
  isLooking = false;
  if (looked !== mine) actions.look();
}

function focus(id) {
  const isOther = id !== model.focusId;
  model.focusId = id;
  if (model.target.kind === "clip" && model.target.id !== id) {
    model.target = { kind: "clip", id };
    model.index = 0; model.draft = null; model.curve = null; model.view = null;
  }
  sheet.mark();
  showCounts();
  if (isOther) strip.follow();
  chain.show(); ride.show(); actions.look();
}

const sheet = newSheet({ table: byId("sheet"), model, actions });
const strip = newStrip({ canvas: byId("strip"), model, api, url: page.dataset.contours, theme, actions, position: () => player.position() });
const chain = newChain({ box: byId("chain"), model, actions, hear });
const ride = newRide({ box: byId("ride"), model, player, hear, edit, say });
const meters = newMeters({ canvas: byId("meter"), list: byId("marks"), theme, model, actions });
const even = newEven({ dialog: byId("even-dialog"), model, api, url: page.dataset.even, edit, say });

function showCounts() {
  const { clips } = model.state;
  const off = clips.filter(isOff).length;
  for (const pill of document.querySelectorAll("[data-filter]")) {
    const role = pill.dataset.filter;
    const n = role === "off" ? off : role ? clips.filter((row) => row.role === role).length : clips.length;
    pill.querySelector("small").textContent = String(n);
    pill.ariaPressed = String(role === "off" ? model.filter.isOff : !model.filter.isOff && model.filter.role === role);
    pill.hidden = Boolean(role) && role !== "off" && !n;
  }
  const many = chosenIds(model);
  const advised = many.map((id) => rowOf(model, id)).filter((row) => row && row.advised_db !== null && Math.abs(row.advised_db - row.gain_db) > 0.04).length;
  byId("even").textContent = many.length > 1 ? `Even out ${many.length}…` : "Even out…";
  byId("advise").textContent = many.length > 1 ? `Advice to ${advised}` : "Apply advice";
  byId("advise").disabled = !advised;
  byId("speaker-name").value = rowOf(model, model.focusId)?.speaker || "";
}

function show() {
  keepingFocus(page, showAll);
}

function showAll() {
  const rows = sheet.show();
  byId("sheet-empty").hidden = rows.length > 0;
  byId("sheet-empty").textContent = model.state.clips.length ? "No clip is like that." : "Nothing to level yet. Bring files in on the Intake page.";
  showCounts();
  chain.show(); ride.show(); hear.show();
  showVerdict(model.state);
  for (const which of ["undo", "redo"]) {
    const one = document.querySelector(`[data-do="${which}"]`);
    one.disabled = !model.state[which];
    one.title = model.state[which] ? `${which === "undo" ? "Undo" : "Redo"}: ${model.state[which]}` : "";
  }
  for (const name of ["quiet_lu", "near_lu", "loud_lu", "peak_dbfs"]) byId("zones-form")[name].value = gainText(model.state.zones[name]);
}

function take(state) {
  if (state.said) say(state.said);
  const isOtherMix = state.revision !== model.base.revision;
  model.base = state;
  model.state = queue.over(state);
  if (model.draftOf) model.draft = model.draftOf(chainOf(model));
  if (!rowOf(model, model.focusId)) { model.focusId = state.clips[0]?.id ?? null; if (model.target.kind === "clip") model.target.id = model.focusId || ""; }
  for (const id of [...model.chosen]) if (!rowOf(model, id)) model.chosen.delete(id);
  show();
  if (isOtherMix) { player.refresh(); strip.load(); actions.look(); if (state.clips.some((row) => !row.has_peaks)) askPeaks(); } else strip.paint();
  follow();
}

let followTimer = null;
function follow() {
  clearTimeout(followTimer);
  const isPending = model.state.clips.some((row) => row.is_pending);
  if ((model.state.is_exact && model.state.fit.is_exact && !isPending) || !model.state.length_samples) return;
  const { revision } = model.base;
  followTimer = setTimeout(async () => {
    try {
      const state = await api.state();
      if (model.base.revision === revision && !model.draft && queue.isIdle() && !isTyping(page)) take(state);
    } catch { /* asked again below */ }
    follow();
  }, isPending || model.state.clips.length < MANY_CLIPS ? 600 : 2000);
}

let peaksAsked = 0;
async function askPeaks() {
  peaksAsked += 1;
  const mine = peaksAsked;
  try {
    const found = await api.get(page.dataset.peaks);
    if (mine !== peaksAsked || found.revision !== model.base.revision) return;
    for (const row of model.base.clips) {
      const pair = found.peaks[row.id];
      if (pair) Object.assign(row, { sample_peak_dbfs: pair[0], true_peak_dbtp: pair[1], has_peaks: true });
    }
    model.state = queue.over(model.base);
    sheet.show();
    if (found.left) setTimeout(askPeaks, PEAKS_PAUSE_MS);
  } catch { /* the sheet keeps its dots */ }
}

let sayTimer = null;
function say(words) {
  const box = byId("said");
  box.textContent = words;
  box.hidden = false;
  clearTimeout(sayTimer);
  sayTimer = setTimeout(() => { box.hidden = true; }, 7000);
}

let wasPlaying = false;
let lastFollowed = 0;
function tick(now) {
  const at = player.position();
  byId("timecode").textContent = timecode(at, model.state.frame_rate);
  const reading = player.reading();
  const text = (tenths) => (tenths <= -1000 ? "–" : signed(tenths / 10));
  if (reading) {
    byId("r-momentary").textContent = text(reading.momentary);
    byId("r-short-term").textContent = text(reading.shortTerm);
  }
  meters.feed(reading);
  meters.paint();
  chain.follow(reading, at);
  if (player.isPlaying || now - lastFollowed > 500) { lastFollowed = now; strip.paint(); }
  if (wasPlaying && !player.isPlaying) ride.stopped();
  if (wasPlaying !== player.isPlaying) {
    wasPlaying = player.isPlaying;
    byId("play-shape").setAttribute("d", player.isPlaying ? STOP_SHAPE : PLAY_SHAPE);
    document.querySelector('[data-do="play"]').setAttribute("aria-label", player.isPlaying ? "Stop" : "Play");
  }
  requestAnimationFrame(tick);
}

const playOrStop = () => { if (player.isPlaying) player.stop(); else player.play(); };
const undo = () => edit((state) => (state.undo ? { kind: "undo" } : null));
const redo = () => edit((state) => (state.redo ? { kind: "redo" } : null));
for (const [name, action] of Object.entries({ play: playOrStop, undo, redo })) document.querySelector(`[data-do="${name}"]`).addEventListener("click", action);
byId("even").addEventListener("click", () => even.open());
byId("advise").addEventListener("click", () => actions.advise());
byId("spec").addEventListener("change", (event) => edit({ kind: "spec", spec_id: event.target.value }));
byId("search").addEventListener("input", (event) => { model.filter.text = event.target.value; show(); });
byId("speaker-name").addEventListener("change", (event) => edit({ kind: "speaker", ids: chosenIds(model), name: event.target.value }));
for (const pill of document.querySelectorAll("[data-filter]")) {
  pill.addEventListener("click", () => {
    model.filter.isOff = pill.dataset.filter === "off";
    model.filter.role = model.filter.isOff ? "" : pill.dataset.filter;
    show();
  });
}
byId("zones-form").addEventListener("change", (event) => {
  const form = event.currentTarget;
  edit({ kind: "zones", ...Object.fromEntries(["quiet_lu", "near_lu", "loud_lu", "peak_dbfs"].map((name) => [name, form[name].value])) });
});
byId("preset-form").addEventListener("submit", async (event) => {
  event.preventDefault();
  try {
    const found = await api.post(page.dataset.presets, { do: "keep", name: event.target.name.value, chain: chainOf(model) });
    model.state.presets = found.presets;
    byId("preset-dialog").close();
    show();
    say("Kept for every programme of this workspace.");
  } catch (error) { byId("preset-words").textContent = error.message; }
});
byId("preset-cancel").addEventListener("click", () => byId("preset-dialog").close());
document.addEventListener("keydown", (event) => {
  if (event.target.closest("dialog")) return;
  const isTyping = event.target.matches("input[type=text], input:not([type]), select, textarea");
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") { event.preventDefault(); if (event.shiftKey) redo(); else undo(); return; }
  if (isTyping || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === " " && event.target.matches("button")) return;
  const done = { " ": playOrStop, t: hear.toggle, b: actions.bypass, e: () => even.open(), s: () => sheet.focusOn(model.focusId), ",": () => actions.seek(player.position() - 48000), ".": () => actions.seek(player.position() + 48000) }[event.key];
  if (done) { event.preventDefault(); done(); }
});
new ResizeObserver(() => strip.paint()).observe(byId("strip"));
window.addEventListener("themechange", () => strip.paint());
document.fonts.ready.then(() => { show(); strip.follow(); actions.look(); page.dataset.ready = "true"; setTimeout(askPeaks, 300); });
follow();
requestAnimationFrame(tick);
// For tests: whether everything that was pressed has reached the server.
window.recitantEdits = queue;
window.recitantModel = model;
