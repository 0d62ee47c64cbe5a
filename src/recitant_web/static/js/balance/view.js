// The Balance page: holds model, layout, painter, gestures, player and server together.

import { RATE_HZ, clock, signed } from "../lib/units.js";
import { keepingFocus, make } from "../lib/dom.js";
import { fitCanvas, themeOf } from "../lib/canvas.js";
import { newPeakMeter } from "../lib/meter.js";
import { showSteps } from "../lib/page.js";
import { newPageShell } from "../lib/page_shell.js";
import { newAfterPress } from "../lib/pressed.js";
import { kindOf } from "../lib/roles.js";
import { newHeard, newThrough } from "../lib/through.js";
import { isTyping } from "../lib/typing.js";
import { showVerdict } from "../lib/verdict.js";
import { bindHorizon, bindScore } from "./control.js";
import { paintHorizon, shapeOfHorizon } from "./marks/horizon.js";
import { moveEdge, showCloseList, showFigures, showNote, showSpeech } from "./clearance.js";
import { applyEdit, gainMoved, levelsMoved, pointIndex } from "./drawn.js";
import { newContours } from "./contours.js";
import { newFirstBalance } from "./firstbalance.js";
import { showGiveWay } from "./giveway.js";
import { heardParameters, neighbourClip, newModel, passageAt, scrolled, selectedClip, zoomed } from "./model.js";
import { xOf } from "./scale.js";
import { layoutScore, paintScore } from "./score.js";
import { shortcutsOf } from "./shortcuts.js";
import { newLevelPath } from "./path.js";
import { newClipTable, showHeads } from "./side.js";
import { showStanding } from "./standing.js";
import { newStemMeters } from "./stemmeters.js";

const desk = document.getElementById("desk");
const stavesBox = document.getElementById("staves");
const scoreCanvas = document.getElementById("score");
const horizonCanvas = document.getElementById("horizon");
const theme = themeOf(document.documentElement);
const model = newModel(JSON.parse(document.getElementById("state").textContent));
const showMeter = newPeakMeter(document.getElementById("meter"), theme, model.state.channels);
const headsWidth = parseFloat(getComputedStyle(stavesBox).getPropertyValue("--heads"));
const NUDGE_WAIT_MS = 300;
const SOON_MS = 60; // figures of an edit are asked for once its answer is drawn
const shell = newPageShell({
  page: desk,
  model,
  apply: applyEdit,
  adopt: take,
  refuse: (error, _data, tell) => {
    model.drag = null;
    tell(error.message);
  },
  draw: () => {
    model.state = shell.queue.over(model.base);
    show();
  },
  parameters: () => ({
    hear: heard(),
    stems: 1,
    revision: model.state.revision,
    ...heardParameters(model),
    ...through.parameters(),
  }),
  onBlock: (readings) => through.show(readings),
  pauseMs: () => {
    const { figures_of: of, revision, is_exact: isExact, fit, clearance, balance_run: run } = model.base;
    const isBusy = Boolean(run && run.is_open);
    if (!model.base.length_samples) return null;
    if (of !== revision) return SOON_MS;
    if (isExact && fit.is_exact && !clearance.is_listening && !isBusy) return null;
    return isExact && !isBusy ? 1500 : 250;
  },
  isFree: () => !model.drag,
});
const { say, api, queue, edit, player, follow } = shell;
const afterPress = newAfterPress(desk);
let score = layoutScore(model, 800, 600);
let drawnGround = ""; // of the score that stands on the canvas
let horizon = shapeOfHorizon(model, 1280, 72);

const heard = newHeard(() => player.refresh());
const through = newThrough(() => player);

function draw() {
  const width = stavesBox.clientWidth - headsWidth;
  const height = stavesBox.clientHeight;
  const silent = silentRoles();
  // What stands on the canvas stays where neither its size nor its ground is another.
  const ground = JSON.stringify([width, height, window.devicePixelRatio, model.view, silent, roles()]);
  const before = ground === drawnGround ? score : null;
  drawnGround = ground;
  score = layoutScore(model, width, height, before);
  scoreCanvas.style.height = `${score.height}px`;
  paintScore(fitCanvas(scoreCanvas, width, score.height), score, theme, new Set(silent), before);
  const box = horizonCanvas.getBoundingClientRect();
  horizon = shapeOfHorizon(model, box.width, box.height);
  const words = ["Whole programme", clock(model.state.length_samples), "short-term, LUFS"];
  words.target = signed(model.state.spec.target_lufs, 0);
  paintHorizon(fitCanvas(horizonCanvas, box.width, box.height), horizon, theme, words);
}

const roles = () => model.state.staves.map((stave) => stave.role);
const silentRoles = () => roles().filter((role) => model.muted.has(role) || (model.only.size && !model.only.has(role)));

function show() {
  draw();
  afterPress(() => keepingFocus(desk, showAll));
}

function showAll() {
  if (!isTyping(document.getElementById("heads")))
    showHeads(document.getElementById("heads"), model, score, { setGain, toggleHeard, openStave });
  levelPath.show();
  showVerdict(model.state);
  showNote(model, player.position(), actions);
  showCloseList(model, actions);
  showFigures(model, (asked, least) => edit({ kind: "clearance", asked_lu: asked, least_s: least }));
  showSpeech(model, () => Math.round(player.position()), markSpeech);
  showGiveWay(model, () => player.position(), { edit, editPoint });
  showStanding(model, edit);
  firstBalance.show();
  clipTable.show();
  showSteps(model.state);
}

function take(state) {
  if (state.said) say(state.said);
  const isNewSound = state.revision !== model.base.revision || state.fit.is_exact !== model.base.fit.is_exact;
  const isOtherMix = state.revision !== model.base.revision;
  model.base = state;
  model.state = queue.over(state);
  if (isOtherMix) loadContours();
  show();
  if (isOtherMix || (isNewSound && heard() === "handed-over")) player.refresh();
  follow();
}

const contours = { api, url: desk.dataset.contours, model, width: () => score.width, onLoad: draw, onFault: say };
const loadContours = newContours(contours);

let scrollTimer = null;
function moveView(view) {
  model.view = view;
  draw();
  movePlayhead();
  clearTimeout(scrollTimer);
  scrollTimer = setTimeout(loadContours, 120);
}

function markSpeech(clipId, from, to, isSpeech) {
  edit({ kind: "speech", id: clipId, from_sample: Math.round(from), to_sample: Math.round(to), is_speech: isSpeech });
}

function setGain(target, id, text) {
  edit({ kind: "gain", target, id, gain_db: String(text) });
}

function select(id) {
  model.selectedId = id;
  show();
}

function openStave(role) {
  if (!model.openRoles.delete(role)) model.openRoles.add(role);
  show();
}

function toggleHeard(set, role) {
  if (set.has(role)) set.delete(role);
  else set.add(role);
  show();
  player.refresh();
}

// An edit of the point of a dip that stood at a sample; nothing where the dip was made anew since.
async function editPoint(duckId, atSample, change) {
  const done = await edit((state) => {
    const index = pointIndex(state, duckId, atSample);
    return index < 0 ? null : { id: duckId, index, ...change };
  });
  if (done === null) say("The dip was made anew meanwhile. Look at it and do it again.");
}

document.getElementById("close-list").addEventListener("toggle", () => showCloseList(model, actions));
const clipTable = newClipTable({ table: document.getElementById("clip-table"), model, setGain, select });
const levelPath = newLevelPath({
  api,
  url: desk.dataset.path,
  model,
  setGain,
  hear: heard,
  position: () => player.position(),
  goTo: (sample) => {
    actions.seek(sample);
    if (sample < model.view.start || sample > model.view.end) actions.centre(sample);
  },
  showDuck: () => document.getElementById("give-way").scrollIntoView({ block: "center" }),
});
const firstBalance = newFirstBalance({
  desk,
  model,
  edit,
  view: () => ({ ...model.view, isWhole: model.view.end - model.view.start >= model.state.length_samples - 1 }),
  goTo: (sample) => actions.seek(sample),
});

const actions = {
  ...shell.actions,
  select,
  seek: (sample) => {
    player.seek(sample);
    movePlayhead();
  },
  drag: (drag) => {
    model.drag = drag;
    draw();
  },
  drop: () => {
    const { drag } = model;
    model.drag = null;
    if (drag && drag.target === "duck")
      editPoint(drag.id, drag.was, { kind: "duck-point", at_sample: drag.at, gain_db: String(drag.gainDb) });
    else if (drag && drag.target === "speech" && drag.was)
      moveEdge(markSpeech, { id: drag.clipId }, drag.side, drag.was[drag.side], drag[drag.side]);
    else if (drag && drag.target === "speech") markSpeech(drag.clipId, drag.from, drag.to, true);
    else if (drag && drag.target === "line") edit((state) => levelsMoved(state, drag.id, drag.which, drag.deltaDb));
    else if (drag && drag.deltaDb) edit(gainMoved(drag.target, drag.id), { amount: drag.deltaDb });
    else draw();
  },
  cancelDrag: () => {
    model.drag = null;
    draw();
  },
  zoom: (factor, around) =>
    moveView(
      zoomed(
        model.view,
        factor,
        around ?? Math.min(Math.max(player.position(), model.view.start), model.view.end),
        model.state.length_samples,
      ),
    ),
  scroll: (by) => moveView(scrolled(model.view, by, model.state.length_samples)),
  centre: (sample) =>
    moveView(scrolled(model.view, sample - (model.view.start + model.view.end) / 2, model.state.length_samples)),
  whole: () => moveView({ start: 0, end: Math.max(RATE_HZ, model.state.length_samples) }),
  step: (seconds) => actions.seek(player.position() + seconds * RATE_HZ),
  selectNeighbour: (step) => {
    const clip = neighbourClip(model, step);
    if (!clip) return;
    if (clip.start_sample + clip.length_samples < model.view.start || clip.start_sample > model.view.end)
      actions.centre(clip.start_sample);
    select(clip.id);
  },
  // Key presses close together become one edit.
  nudge: (stepDb) => {
    const clip = selectedClip(model);
    if (!clip) {
      say("Choose a clip first: [ and ] go through them.");
      return;
    }
    edit(gainMoved("clip", clip.id), { key: `nudge ${clip.id}`, amount: stepDb, holdMs: NUDGE_WAIT_MS });
  },
  focusRole: (role) => {
    if (model.focusRole !== role && kindOf(role) !== "narration") {
      model.focusRole = role;
      showGiveWay(model, () => player.position(), { edit, editPoint });
    }
  },
  selectSpeech: (span) => {
    model.selectedSpeech = { clipId: span.clipId, from: span.from, to: span.to };
    select(span.clipId);
  },
  deleteChosen: () => {
    const chosen = model.selectedSpeech;
    if (!chosen) {
      say("Choose a stretch of speech at the foot of the dialogue stave first.");
      return;
    }
    model.selectedSpeech = null;
    markSpeech(chosen.clipId, chosen.from, chosen.to, false);
  },
  addPoint: (id, sample) => edit({ kind: "duck-point-add", id, at_sample: Math.round(sample) }),
  removePoint: (id, atSample) => editPoint(id, atSample, { kind: "duck-point-remove" }),
  cure: (passage, cure) =>
    edit({
      kind: "cure",
      code: cure.code,
      target_id: cure.target_id,
      by_db: cure.by_db,
      start_sample: passage.start_sample,
      length_samples: passage.length_samples,
    }),
  unaccept: ({ start_sample: start, length_samples: length }) =>
    edit({ kind: "unaccept", start_sample: start, length_samples: length }),
  goToPassage: (passage) => {
    actions.seek(Math.max(0, passage.start_sample));
    if (passage.start_sample < model.view.start || passage.start_sample + passage.length_samples > model.view.end)
      actions.centre(passage.start_sample);
    showNote(model, player.position(), actions);
  },
  nextPassage: (step) => {
    const passage = passageAt(model, player.position(), step);
    if (passage) actions.goToPassage(passage);
    else say("No passage is too close.");
  },
  typeGain: () => document.querySelector('[data-path="clip"]')?.focus(),
};

const [playhead, horizonHead] = ["playhead", "playhead thin"].map((className) => make("div", { className }));
stavesBox.append(playhead);
horizonCanvas.parentElement.append(horizonHead);

function movePlayhead() {
  const at = player.position();
  const x = xOf(at, model.view, score.width);
  playhead.hidden = x < 33 || x > score.width;
  playhead.style.transform = `translateX(${headsWidth + x}px)`;
  playhead.style.height = `${score.height}px`;
  horizonHead.style.transform = `translateX(${horizon.xOfSample(at)}px)`;
  shell.showPlace();
}

const showStems = newStemMeters(document.getElementById("heads"), model);
let lastNote = 0;
function frame(now, at, reading) {
  movePlayhead();
  levelPath.follow();
  if (now - lastNote > 400) {
    lastNote = now;
    showNote(model, at, actions);
  }
  if (player.isPlaying && (at > model.view.end || at < model.view.start)) {
    moveView(
      scrolled(
        model.view,
        at - model.view.start - (model.view.end - model.view.start) * 0.05,
        model.state.length_samples,
      ),
    );
  }
  showMeter(reading, now);
  showStems(reading, now);
}

shell.bind({
  buttons: {
    play: actions.playOrStop,
    undo: actions.undo,
    redo: actions.redo,
    wider: () => actions.zoom(1.5),
    closer: () => actions.zoom(1 / 1.5),
    whole: actions.whole,
  },
  shortcuts: shortcutsOf(actions),
});
document
  .getElementById("spec")
  .addEventListener("change", (event) => edit({ kind: "spec", spec_id: event.target.value }));
bindScore(scoreCanvas, { model: () => model, score: () => score, actions });
bindHorizon(horizonCanvas, { horizon: () => horizon, actions });
new ResizeObserver(() => {
  show();
  loadContours();
}).observe(stavesBox);
window.addEventListener("themechange", () => {
  drawnGround = "";
  draw();
});
if (!model.state.length_samples) say("Nothing to balance yet. Bring files in on the Intake page.");
shell.run({ frame, ready: show });
