// The Words page: holds model, text, staves, lists, player and server together.

import { themeOf } from "../lib/canvas.js";
import { keepingFocus, setText } from "../lib/dom.js";
import { byId, showSteps } from "../lib/page.js";
import { newPageShell } from "../lib/page_shell.js";
import { newAfterPress } from "../lib/pressed.js";
import { drawShortcuts } from "../lib/shortcuts.js";
import { newHeard, newThrough } from "../lib/through.js";
import { RATE_HZ, signed } from "../lib/units.js";
import { newChosenBar, newDialogs } from "./dialogs.js";
import { bindCaptionFile, bindFind } from "./find.js";
import { shortcutsOf } from "./shortcuts.js";
import { UNSURE, applyEdit, chosenWords, indexOf, newModel, stretchesOf } from "./model.js";
import { newShown } from "./shown.js";
import { newSide } from "./side.js";
import { newStaves } from "./staves.js";
import { newText } from "./text.js";

const page = byId("words");
const theme = themeOf(document.documentElement);
const model = newModel(JSON.parse(byId("state").textContent));
const SOON_MS = 60;
const WORKING_MS = 900;
const BEFORE_SAMPLES = 57600; // that are heard before a place: 1.2 s

const shell = newPageShell({
  page,
  model,
  apply: applyEdit,
  adopt: take,
  draw: () => setState(shell.queue.over(model.base)),
  parameters: () => ({ hear: "mix", revision: model.state.revision, ...alone(), ...through.parameters() }),
  onBlock: (readings) => through.show(readings),
  pauseMs: () => {
    const { figures_of: of, revision, hearing, is_exact: isExact } = model.base;
    if (hearing.work.is_open || hearing.listening.is_open) return WORKING_MS;
    if (model.base.length_samples && of !== revision) return SOON_MS;
    return isExact || !model.base.length_samples ? null : 1500;
  },
  isFree: () => !model.drag,
});
const { say, api, queue, edit, player, follow } = shell;
const heard = newHeard(() => player.refresh());
const through = newThrough(() => player);

function alone() {
  if (heard() !== "dialogue") return {};
  const ids = model.state.staves.filter((stave) => stave.is_speech).flatMap((stave) => stave.track_ids);
  return { only: ids.join(",") || "0" };
}

function setState(state) {
  model.state = state;
  model.index = indexOf(state);
  if (model.chosen && !chosenWords(model).length) model.chosen = null;
  show();
}

function take(state) {
  if (state.said) say(state.said);
  const isOther = state.sound !== model.base.sound;
  model.base = state;
  setState(queue.over(state));
  if (isOther) {
    loadContours();
    player.refresh();
  }
  follow();
}

const afterPress = newAfterPress(page);
function show() {
  staves.paint();
  afterPress(() => keepingFocus(page, showAll));
}

function showAll() {
  const { hearing, lost, fillers, pauses, turns } = model.state;
  text.show();
  side.show();
  chosenBar.show();
  dialogs.show();
  shown.show();
  showSteps(model.state);
  const n = (count) => count || "";
  const unsure = turns.reduce((sum, turn) => sum + turn.words.filter((word) => word[3] & UNSURE).length, 0);
  const counts = { lost: n(lost.n_lost), unsure: n(unsure), fillers: n(fillers.length), pauses: n(pauses.length) };
  for (const pill of document.querySelectorAll("[data-filter]")) {
    pill.setAttribute("aria-pressed", String(pill.dataset.filter === model.filter));
    const small = pill.querySelector("small");
    if (small) setText(small, String(counts[pill.dataset.filter]));
  }
  const isJudged = lost.is_heard && lost.can_judge;
  setText(byId("r-lost"), isJudged ? `${lost.n_lost} of ${lost.n_judged}` : "–");
  byId("r-lost").classList.toggle("over", isJudged && lost.n_lost > 0);
  byId("n-lost").hidden = !(isJudged && lost.n_lost && lost.is_current);
  byId("turns").classList.toggle("is-old", !lost.is_current);
  setText(byId("n-lost"), `${lost.n_lost} lost`);
  const integrated = model.state.findings.find((one) => one.key === "integrated_lufs");
  setText(byId("r-integrated_lufs"), signed(integrated?.measured));
  showWork(hearing);
}

function showWork(hearing) {
  const hear = document.querySelector('[data-do="hear"]');
  hear.classList.toggle("go", hearing.n_recordings > 0 && hearing.n_heard < hearing.n_recordings);
  hear.disabled = Boolean(hearing.missing);
  hear.title = hearing.missing;
  const there = byId("hearing-now");
  there?.remove();
  const trouble = hearing.work.sentence || hearing.doubt;
  if (!hearing.work.is_open && !trouble) return;
  const words = `Hearing ${hearing.n_recordings === 1 ? "one recording" : `${hearing.n_recordings} recordings`}`;
  const line = hearing.work.is_open
    ? side.progress(hearing.work, words)
    : Object.assign(document.createElement("div"), { className: "working over", textContent: `▲ ${trouble}` });
  line.id = "hearing-now";
  document.querySelector(".said-top").after(line);
}

// Contours of what is in view and a little beside it.
let asked = 0;
async function loadContours() {
  asked += 1;
  const mine = asked;
  const margin = (model.view.end - model.view.start) / 2;
  const start = Math.max(0, Math.round(model.view.start - margin));
  try {
    const found = await api.get(
      `${page.dataset.contours}?start=${start}&end=${Math.round(model.view.end + margin)}&points=900`,
    );
    if (mine !== asked) return;
    model.contours = found;
    staves.paint();
  } catch (error) {
    say(error.message);
  }
}

let viewTimer = null;
function moveView(start, span = model.view.end - model.view.start) {
  const from = Math.max(0, Math.min(start, Math.max(0, model.state.length_samples - span * 0.3)));
  model.view = { start: from, end: from + span };
  staves.paint();
  clearTimeout(viewTimer);
  viewTimer = setTimeout(loadContours, 90);
}

function inView(sample) {
  const span = model.view.end - model.view.start;
  if (sample < model.view.start || sample > model.view.end - span * 0.04) moveView(sample - span * 0.2);
}

const actions = {
  ...shell.actions,
  say,
  edit,
  position: () => player.position(),
  seek: (sample) => {
    player.seek(sample);
    inView(sample);
    tickOnce();
  },
  choose: (chosen) => {
    model.chosen = chosen;
    text.showChosen();
    chosenBar.show();
  },
  chooseNothing: () => actions.choose(null),
  type: () => text.type(),
  typeOver: (words, typed) => edit({ kind: "words-type", stretch: stretchesOf(words)[0], text: typed }),
  cut: (stretches, how) => {
    actions.chooseNothing();
    edit({ kind: "words-cut", stretches, how });
  },
  give: (stretches, who) => {
    if (who === "new") dialogs.somebody(stretches);
    else edit({ kind: "words-speaker", stretches, speaker_id: who });
  },
  // An edit of a dialog: what is refused is told there, and what was typed stays.
  mustEdit: async (data) => {
    await queue.settled();
    take(await api.edit(data, model.base.revision));
  },
  proposedChapters: async () => {
    try {
      return (await api.get(page.dataset.chapters)).chapters;
    } catch (error) {
      say(error.message);
      return null;
    }
  },
  // Work in the background; refused work is told to whoever asked.
  work: async (asked_) => {
    const state = await api.edit(asked_, model.base.revision, page.dataset.work);
    take(state);
  },
  cure: (passage, cure) =>
    edit({
      kind: "cure",
      code: cure.code,
      target_id: cure.target_id,
      by_db: cure.by_db,
      start_sample: passage.from,
      length_samples: Math.max(1, passage.to - passage.from),
    }),
  unaccept: (passage) =>
    edit({ kind: "unaccept", start_sample: passage.from, length_samples: passage.to - passage.from }),
  hearAround: (passage) => {
    actions.seek(Math.max(0, passage.from - BEFORE_SAMPLES));
    player.play();
  },
  hearNext: (listed) => {
    const at = player.position() + BEFORE_SAMPLES + 4800;
    const next = listed.find((one) => one.from > at) || listed[0];
    actions.hearAround(next);
  },
  passageNear: (sample) =>
    model.state.lost.passages.find((one) => sample >= one.from - 9600 && sample <= one.to + 9600),
  nextLost: (by) => {
    const open = model.state.lost.passages.filter((one) => !one.is_accepted);
    const at = player.position();
    const next = by > 0 ? open.find((one) => one.from > at + 480) : open.filter((one) => one.from < at - 480).at(-1);
    if (!next) {
      say(
        model.state.lost.is_heard
          ? "No lost word that way."
          : "Listen to the mix first: the button stands over the list.",
      );
      return;
    }
    actions.seek(next.from);
    text.reveal(next.from);
  },
  markCaption: (id) => {
    model.caption = id;
    staves.paint();
  },
  chooseCaption: (id) => {
    model.caption = id;
    model.panel = "captions";
    side.show();
    side.revealCaption(id);
    staves.paint();
  },
  moveCaption: ({ id, from, to }) =>
    edit({ kind: "caption-set", id, start_sample: Math.round(from), end_sample: Math.round(to) }),
  split: (row) => {
    const line = row.text.indexOf("\n");
    const middle = line > 0 ? line : row.text.indexOf(" ", Math.floor(row.text.length / 2) - 4);
    if (middle > 0) edit({ kind: "caption-split", id: row.id, at_letter: middle });
    else say("There is only one word in it.");
  },
  importCaptions: () => byId("captions-file").click(),
  makeCaptions: () => dialogs.captions(),
  rules: () => dialogs.rules(),
  people: () => dialogs.people(),
  hear: () => dialogs.hear(),
  zoom: (factor) => {
    const span = Math.min(Math.max(4 * RATE_HZ, (model.view.end - model.view.start) * factor), 180 * RATE_HZ);
    const at = Math.min(Math.max(player.position(), model.view.start), model.view.end);
    moveView(at - (span * (at - model.view.start)) / (model.view.end - model.view.start), span);
  },
  scroll: (by) => moveView(model.view.start + by),
  viewMoved: () => loadContours(),
  step: (seconds) => actions.seek(Math.max(0, player.position() + seconds * RATE_HZ)),
  stepWord: (by, isMore) => text.step(by, isMore),
  silence: () => {
    const of = stretchesOf(chosenWords(model));
    if (of.length) actions.cut(of, "silence");
  },
  find: () => byId("find").focus(),
};

const staves = newStaves({ canvas: byId("staves"), model, theme, actions });
const text = newText({ box: byId("turns"), model, actions });
const side = newSide({
  panel: byId("panel"),
  tools: byId("panel-tools"),
  tabs: [...document.querySelectorAll("[data-panel]")],
  model,
  actions,
});
const shown = newShown({ box: byId("shown"), url: page.dataset.picture, model });
const dialogs = newDialogs({ model, actions });
const chosenBar = newChosenBar({
  bar: byId("chosen"),
  model,
  actions,
  chosen: () => chosenWords(model),
  stretches: stretchesOf,
});

function tickOnce() {
  const at = player.position();
  shell.showPlace();
  text.follow(at, player.isPlaying);
  shown.follow(at, player);
  if (player.isPlaying) inView(at);
}

let painted = -1;
function frame(_now, at) {
  tickOnce();
  if (at !== painted) staves.paint();
  painted = at;
}

const shortcuts = shortcutsOf(actions);
drawShortcuts(byId("shortcuts"), shortcuts);
shell.bind({
  buttons: {
    play: actions.playOrStop,
    undo: actions.undo,
    redo: actions.redo,
    hear: actions.hear,
    people: actions.people,
    glossary: () => dialogs.glossary(),
    script: () => dialogs.script(),
    chapters: () => dialogs.chapters(),
    "track-a-person": () => edit({ kind: "track-a-person" }),
  },
  shortcuts,
});
for (const pill of document.querySelectorAll("[data-filter]")) {
  pill.addEventListener("click", () => {
    model.filter = pill.dataset.filter;
    if (model.filter === "lost") model.panel = "lost";
    showAll();
  });
}

bindFind({ page, model, api, text: () => text, side: () => side, actions });
bindCaptionFile({
  page,
  say,
  revision: () => model.base.revision,
  settled: queue.settled,
  onDone: async () => {
    model.panel = "captions";
    take(await api.state());
  },
});
window.addEventListener("themechange", () => staves.paint());
const jump = () => {
  const at = Number(location.hash.match(/at=(\d+)/)?.[1]);
  if (!at) return;
  actions.seek(at);
  text.reveal(at);
};
window.addEventListener("hashchange", jump);
shell.run({
  frame,
  ready: () => {
    show();
    jump();
    loadContours();
  },
});
