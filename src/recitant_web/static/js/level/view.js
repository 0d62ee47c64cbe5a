// The Level page: holds the sheet, the stave, the chain, the player and the server together.

import { keepingFocus } from "../lib/dom.js";
import { RATE_HZ, gainText } from "../lib/units.js";
import { themeOf } from "../lib/canvas.js";
import { byId, showSteps } from "../lib/page.js";
import { newPageShell } from "../lib/page_shell.js";
import { drawShortcuts } from "../lib/shortcuts.js";
import { showVerdict } from "../lib/verdict.js";
import { newChain } from "./chain.js";
import { newActions } from "./actions.js";
import { applyEdit } from "./drawn.js";
import { newEven } from "./even.js";
import { newDrafts } from "./drafts.js";
import { newHear } from "./hear.js";
import { shortcutsOf } from "./shortcuts.js";
import { newMeters } from "./meters.js";
import { chainOf, chosenIds, isOff, newModel, rowOf } from "./model.js";
import { newRide } from "./ride.js";
import { newSheet } from "./sheet.js";
import { newStrip } from "./strip.js";
import { isTyping } from "../lib/typing.js";

const page = document.getElementById("level");
const theme = themeOf(document.documentElement);
const model = newModel(JSON.parse(byId("state").textContent), JSON.parse(byId("page").textContent));
const MANY_CLIPS = 300; // from here on the page asks less often how far the exact figures are
const SOON_MS = 60; // figures of an edit are asked for once its answer is drawn
const PEAKS_PAUSE_MS = 600;
const PEAKS_AFTER_EDIT_MS = 900; // whoever presses goes first
const loop = { isOn: false };

const shell = newPageShell({
  page,
  model,
  apply: (state, data) => applyEdit(state, data, model.page.kinds),
  adopt: take,
  refuse: (error, _data, tell) => {
    model.draft = null;
    model.draftOf = null;
    tell(error.message);
  },
  draw: () => {
    model.state = shell.queue.over(model.base);
    show();
  },
  parameters: async () => ({ hear: "mix", revision: model.state.revision, ...(await hear.parameters()) }),
  loop: () => {
    const row = loop.isOn && rowOf(model, model.focusId);
    return row ? [row.start_sample, row.start_sample + row.length_samples] : null;
  },
  pauseMs: () => {
    const { clips, figures_of: of, revision, is_exact: isExact, fit } = model.base;
    const isPending = clips.some((row) => row.is_pending);
    if (!model.base.length_samples) return null;
    if (of !== revision) return SOON_MS;
    if (isExact && fit.is_exact && !isPending) return null;
    return isPending || clips.length < MANY_CLIPS ? 600 : 2000;
  },
  isFree: () => !model.draft && !isTyping(page),
});
const { say, api, queue, edit, player, follow } = shell;
const hear = newHear({
  box: byId("hear"),
  model,
  draftName: newDrafts(api, page.dataset.draft),
  refresh: () => {
    player.refresh();
    chain.show();
  },
  position: () => player.position(),
  loop,
});

const parts = {};
const actions = newActions({ model, api, urls: page.dataset, player, edit, say, parts, showCounts });
const sheet = newSheet({ table: byId("sheet"), model, actions });
const strip = newStrip({
  canvas: byId("strip"),
  model,
  api,
  url: page.dataset.contours,
  theme,
  actions,
  position: () => player.position(),
});
const chain = newChain({ box: byId("chain"), model, actions, hear });
const ride = newRide({ box: byId("ride"), model, player, hear, edit, say });
Object.assign(parts, { sheet, strip, chain, ride });
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
  const advised = many
    .map((id) => rowOf(model, id))
    .filter((row) => row && row.advised_db !== null && Math.abs(row.advised_db - row.gain_db) > 0.04).length;
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
  byId("sheet-empty").textContent = model.state.clips.length
    ? "No clip is like that."
    : "Nothing to level yet. Bring files in on the Intake page.";
  showCounts();
  chain.show();
  ride.show();
  hear.show();
  showVerdict(model.state);
  showSteps(model.state);
  for (const name of ["quiet_lu", "near_lu", "loud_lu", "peak_dbfs"])
    byId("zones-form")[name].value = gainText(model.state.zones[name]);
}

function take(state) {
  if (state.said) say(state.said);
  const isOtherMix = state.revision !== model.base.revision;
  model.base = state;
  model.state = queue.over(state);
  if (model.draftOf) model.draft = model.draftOf(chainOf(model));
  if (!rowOf(model, model.focusId)) {
    model.focusId = state.clips[0]?.id ?? null;
    if (model.target.kind === "clip") model.target.id = model.focusId || "";
  }
  for (const id of [...model.chosen]) if (!rowOf(model, id)) model.chosen.delete(id);
  show();
  if (isOtherMix) {
    player.refresh();
    strip.load();
    actions.look();
    if (state.clips.some((row) => !row.has_peaks)) peaksSoon(PEAKS_AFTER_EDIT_MS);
  } else strip.paint();
  follow();
}

let peaksAsked = 0;
let peaksTimer = null;
function peaksSoon(pauseMs) {
  clearTimeout(peaksTimer);
  peaksTimer = setTimeout(askPeaks, pauseMs);
}

async function askPeaks() {
  peaksAsked += 1;
  const mine = peaksAsked;
  try {
    const found = await api.get(page.dataset.peaks);
    if (mine !== peaksAsked || found.revision !== model.base.revision) return;
    const withPeaks = (row, [samplePeak, truePeak]) => ({
      ...row,
      sample_peak_dbfs: samplePeak,
      true_peak_dbtp: truePeak,
      has_peaks: true,
    });
    const clips = model.base.clips.map((row) =>
      found.peaks[row.id] && !row.has_peaks ? withPeaks(row, found.peaks[row.id]) : row,
    );
    model.base = { ...model.base, clips };
    model.state = queue.over(model.base);
    sheet.show();
    if (found.left) peaksSoon(PEAKS_PAUSE_MS);
  } catch {
    /* the sheet keeps its dots */
  }
}

let wasPlaying = false;
let lastFollowed = 0;
function frame(now, at, reading) {
  meters.feed(reading);
  meters.paint();
  chain.follow(reading, at);
  if (player.isPlaying || now - lastFollowed > 500) {
    lastFollowed = now;
    strip.paint();
  }
  if (wasPlaying && !player.isPlaying) ride.stopped();
  wasPlaying = player.isPlaying;
}

byId("even").addEventListener("click", () => even.open());
byId("advise").addEventListener("click", () => actions.advise());
byId("spec").addEventListener("change", (event) => edit({ kind: "spec", spec_id: event.target.value }));
byId("search").addEventListener("input", (event) => {
  model.filter.text = event.target.value;
  show();
});
byId("speaker-name").addEventListener("change", (event) =>
  edit({ kind: "speaker", ids: chosenIds(model), name: event.target.value }),
);
for (const pill of document.querySelectorAll("[data-filter]")) {
  pill.addEventListener("click", () => {
    model.filter.isOff = pill.dataset.filter === "off";
    model.filter.role = model.filter.isOff ? "" : pill.dataset.filter;
    show();
  });
}
byId("zones-form").addEventListener("change", (event) => {
  const form = event.currentTarget;
  edit({
    kind: "zones",
    ...Object.fromEntries(["quiet_lu", "near_lu", "loud_lu", "peak_dbfs"].map((name) => [name, form[name].value])),
  });
});
byId("preset-form").addEventListener("submit", async (event) => {
  event.preventDefault();
  try {
    const found = await api.post(page.dataset.presets, {
      do: "keep",
      name: event.target.name.value,
      chain: chainOf(model),
    });
    model.state.presets = found.presets;
    byId("preset-dialog").close();
    show();
    say("Kept for every programme of this workspace.");
  } catch (error) {
    byId("preset-words").textContent = error.message;
  }
});
byId("preset-cancel").addEventListener("click", () => byId("preset-dialog").close());
const shortcuts = shortcutsOf({
  ...actions,
  ...shell.actions,
  evenOut: () => even.open(),
  toggleCompared: hear.toggle,
  toSheet: () => sheet.focusOn(model.focusId),
  stepRow: (by, isRange) => sheet.step(by, isRange),
  chooseMore: () => actions.choose(model.focusId, { isMore: true }),
  typeGain: () => sheet.typeGain(),
  step: (seconds) => actions.seek(player.position() + seconds * RATE_HZ),
});
drawShortcuts(byId("shortcuts"), shortcuts);
shell.bind({
  buttons: { play: shell.actions.playOrStop, undo: shell.actions.undo, redo: shell.actions.redo },
  shortcuts,
  inFields: ["ctrl+z", "ctrl+shift+z"],
});
window.addEventListener("themechange", () => strip.paint());
shell.run({
  frame,
  ready: () => {
    show();
    strip.follow();
    actions.look();
    peaksSoon(300);
  },
});
window.recitantModel = model; // for tests
