// The Arrange page: holds model, scene, painter, gestures, player, picture and server together.

import { fitCanvas, themeOf } from "../lib/canvas.js";
import { newPeakMeter } from "../lib/meter.js";
import { showSteps } from "../lib/page.js";
import { newPageShell } from "../lib/page_shell.js";
import { RATE_HZ, samplesOfFrames } from "../lib/units.js";
import { Waves } from "../lib/waves.js";
import { newActions } from "./actions.js";
import { keepingFocus } from "../lib/dom.js";
import { menuButton } from "../lib/menu.js";
import { applyEdit } from "./drawn.js";
import { bindCanvas } from "./gestures.js";
import { moveHeads, showHeads } from "./heads.js";
import { shortcutsOf } from "./shortcuts.js";
import { bindLibrary } from "./library.js";
import { heardParameters, newModel, scrolled, shown, shownTracks, takeDelta, takeState } from "./model.js";
import { bindNarration } from "./narration.js";
import { RULER, xOf } from "./scale.js";
import { layoutScene, paintScene } from "./scene.js";
import { showClip, showHistory, showMarkers, showTable } from "./panel.js";
import { Picture } from "../lib/picture.js";
import { newTakeActions } from "./takes.js";
import { bindTrackList, newTimeActions, showTime } from "./time.js";
import { isTyping } from "../lib/typing.js";

const page = document.getElementById("arrange");
const canvas = document.getElementById("timeline");
const lanes = document.getElementById("lanes");
const headsBox = document.getElementById("heads");
const video = document.getElementById("picture");
const theme = themeOf(document.documentElement);
const model = newModel(JSON.parse(document.getElementById("state").textContent));
const showMeter = newPeakMeter(document.getElementById("meter"), theme, model.state.channels);
const headsWidth = parseFloat(getComputedStyle(lanes).getPropertyValue("--heads"));
const shell = newPageShell({
  page,
  model,
  apply: applyEdit,
  adopt: take,
  refuse: (error, data, tell) => {
    model.gesture = null;
    const isAsked = error.code === "tied_to_picture";
    const anyway = { label: "Move anyway", run: () => edit({ ...data, breaks_sync: true }) };
    tell(error.message, false, isAsked ? anyway : null);
  },
  draw: () => {
    shown(model, shell.queue.over(model.base));
    show();
  },
  parameters: () => ({
    hear: "mix",
    revision: model.state.revision,
    ...heardParameters(model),
    ...actions.takeParameters(),
  }),
  loop: () => (model.isLooping && model.range && model.range[1] > model.range[0] ? model.range : null),
  isFree: () => !model.gesture,
});
const { say, api, queue, edit, player } = shell;
let scene = null;
let scrollTop = 0;
const clipTable = document.getElementById("clip-table");
let needsDraw = true;
let tab = "clip";
const TABLE_WAIT_MS = 250;
const frameTimes = [];
const ACTION_OF = {
  wider: "zoomOut",
  closer: "zoomIn",
  "hide-empty": "hideEmpty",
  "hear-all": "hearAll",
  keys: "showShortcuts",
  "louder-waves": "wavesUp",
  "lower-waves": "wavesDown",
};

const waves = new Waves(page.dataset.outline, () => {
  needsDraw = true;
});
let picture = null;
showPicture();

function showPicture() {
  const found = model.state.picture;
  document.getElementById("no-picture").hidden = Boolean(found?.is_shown);
  video.hidden = !found?.is_shown;
  if (!found) return;
  if (!found.is_shown) {
    document.getElementById("no-picture").textContent = "A light copy of the picture is being made.";
    setTimeout(async () => {
      try {
        model.state.picture = (await api.state()).picture;
        showPicture();
      } catch {
        /* asked again by the next edit */
      }
    }, 2000);
  } else if (!picture) {
    video.src = page.dataset.picture;
    picture = new Picture(video, { rateHz: found.rate_hz });
  }
}

function draw() {
  needsDraw = false;
  const width = lanes.clientWidth - headsWidth;
  const height = lanes.clientHeight;
  scene = layoutScene(model, { width, height, scrollTop });
  scrollTop = Math.min(scrollTop, Math.max(0, scene.contentHeight + RULER - height + 20));
  const began = performance.now();
  paintScene(fitCanvas(canvas, width, height), scene, model, theme, waves, quietTracks());
  page.dataset.drawMs = (performance.now() - began).toFixed(2);
}

function quietTracks() {
  const ids = model.state.tracks.map((track) => track.id);
  return new Set(ids.filter((id) => model.muted.has(id) || (model.soloed.size && !model.soloed.has(id))));
}

function show() {
  needsDraw = true;
  keepingFocus(page, showAll);
}

function showAll() {
  if (!isTyping(headsBox)) showHeads(headsBox, model, scrollTop, actions);
  if (!isTyping(document.getElementById(`tab-${tab}`))) showTab();
  showTable(clipTable, model, actions);
  showSteps(model.state);
  const flags = {
    snapping: model.isSnapping,
    curves: model.isCurves,
    channels: model.isSplit,
    lock: model.state.is_picture_locked,
    loop: model.isLooping,
    "hide-empty": model.hidesEmpty,
  };
  for (const [name, isOn] of Object.entries(flags))
    document.querySelector(`[data-do="${name}"]`)?.setAttribute("aria-pressed", String(isOn));
  document.querySelector('[data-do="lock"]').textContent = model.state.is_picture_locked
    ? "Picture lock: on"
    : "Picture lock: off";
  document.getElementById("zoom-factor").textContent = `waveforms × ${model.zoom}`;
  const heard = [];
  if (model.soloed.size) heard.push(`${model.soloed.size} track${model.soloed.size > 1 ? "s" : ""} soloed`);
  if (model.muted.size) heard.push(`${model.muted.size} muted`);
  const box = document.getElementById("heard");
  box.hidden = !heard.length;
  box.querySelector("span").textContent = heard.join(", ");
  const range = document.getElementById("range");
  range.textContent = model.range ? `range ${((model.range[1] - model.range[0]) / RATE_HZ).toFixed(2)} s` : "no range";
}

function showTab() {
  for (const button of document.querySelectorAll("[data-tab]")) {
    button.setAttribute("aria-selected", String(button.dataset.tab === tab));
    document.getElementById(`tab-${button.dataset.tab}`).hidden = button.dataset.tab !== tab;
  }
  if (tab === "clip") showClip(document.getElementById("tab-clip"), model, actions);
  if (tab === "narration") narration.show();
  if (tab === "time") showTime(document.getElementById("tab-time"), model, actions);
  if (tab === "markers") showMarkers(document.getElementById("tab-markers"), model, actions);
  if (tab === "history") showHistory(document.getElementById("tab-history"), model, actions);
}

// What an edit changed, the whole state, or the answer of an action of its own, after which the state is read.
async function take(answer) {
  if (!answer.changed && !answer.clips) {
    await take(await api.state());
    return;
  }
  const isNew = answer.revision !== model.base.revision;
  const hadKeys = new Set(model.base.clips.keys());
  if (answer.changed) takeDelta(model, answer);
  else takeState(model, answer);
  if (answer.said) say(answer.said, true);
  shown(model, queue.over(model.base));
  const made = (answer.changed || []).filter((clip) => !hadKeys.has(clip.id));
  if (made.length && model.selectsNew) {
    model.selected = new Set(made.map((clip) => clip.id));
    model.selectsNew -= 1;
  }
  document.querySelector(".top .title span").textContent = model.state.title;
  if (!answer.changed) showPicture();
  show();
  if (isNew) player.refresh();
}

async function reload() {
  try {
    const state = await api.state();
    if (!queue.isIdle()) return;
    if (state.revision === model.base.revision) show();
    else await take(state);
  } catch {
    show();
  }
}

let tableTimer = null;
function moveView(view) {
  model.view = view;
  needsDraw = true;
  clearTimeout(tableTimer);
  tableTimer = setTimeout(() => showTable(clipTable, model, actions), TABLE_WAIT_MS);
}

clipTable.closest("details").addEventListener("toggle", () => showTable(clipTable, model, actions));

const actions = newActions({
  model,
  api,
  urls: page.dataset,
  player,
  edit,
  settled: queue.settled,
  show,
  say,
  moveView,
  reload,
  scene: () => scene,
  tab: (name) => {
    tab = name;
    showTab();
  },
});
const takes = newTakeActions({ model, player, edit, say, show });
Object.assign(actions, shell.actions, newTimeActions({ model, player, edit, say }), takes, {
  askTrack: bindTrackList(document.getElementById("put"), { model, actions, say }),
  scrollTop: () => scrollTop,
  scrollRows: (by) => {
    scrollTop = Math.max(0, Math.min(scrollTop + by, scene.contentHeight + RULER - lanes.clientHeight + 20));
    moveHeads(headsBox, scrollTop);
    needsDraw = true;
  },
  preview: (gesture) => {
    model.gesture = gesture;
    needsDraw = true;
  },
  previewHeight: (id, height) => {
    model.heightOf = { id, height };
    show();
  },
  keepHeight: (id, height) => {
    model.heightOf = null;
    edit({ kind: "track-set", id, height_px: height });
  },
  typeTimecode: () => {
    const input = document.getElementById("timecode");
    input.focus();
    input.select();
  },
});

const narration = bindNarration({ model, player, say, reload, page });
const playhead = document.getElementById("playhead");
const timecodeInput = document.getElementById("timecode");
let lastFrame = 0;

function frame(now, at, reading) {
  if (lastFrame) {
    frameTimes.push(now - lastFrame);
    if (frameTimes.length > 600) frameTimes.shift();
  }
  lastFrame = now;
  if (player.isPlaying && !model.gesture && (at > model.view.end || at < model.view.start))
    moveView(scrolled(model, at - model.view.start - (model.view.end - model.view.start) * 0.05));
  actions.followTakes(at);
  if (needsDraw) draw();
  const x = xOf(at, model.view, scene.width);
  playhead.hidden = x < 0 || x > scene.width;
  playhead.style.transform = `translateX(${headsWidth + x}px)`;
  picture?.follow(at - model.state.picture_offset_samples, player.isSounding, player.rate);
  showMeter(reading, now);
  document.getElementById("rate").textContent =
    player.isPlaying && player.rate !== 1 ? `× ${player.rate}`.replace("-", "−") : "";
}

const names = [...document.querySelectorAll("[data-do]")].map((button) => button.dataset.do);
shell.bind({
  buttons: Object.fromEntries(names.map((name) => [name, () => actions[ACTION_OF[name] || name]()])),
  shortcuts: shortcutsOf(actions),
});
for (const button of document.querySelectorAll("[data-tab]"))
  button.addEventListener("click", () => {
    tab = button.dataset.tab;
    showTab();
  });
timecodeInput.addEventListener("keydown", (event) => {
  if (event.key === "Enter") {
    actions.goToTimecode(timecodeInput.value);
    timecodeInput.blur();
    canvas.focus();
  }
  if (event.key === "Escape") timecodeInput.blur();
});
document.getElementById("add-role").addEventListener("change", (event) => {
  if (event.target.value) edit({ kind: "track-add", role: event.target.value, name: "" });
  event.target.value = "";
});
document.getElementById("lane-menu").replaceWith(
  menuButton("Tracks", "What is done with all tracks", [
    ["Higher, all of them", () => actions.lanes(130)],
    ["Lower, all of them", () => actions.lanes(77)],
    ["Remove empty tracks", () => actions.removeEmpty()],
    ["Lay out again…", () => actions.layOutAgain()],
  ]),
);
headsBox.addEventListener(
  "wheel",
  (event) => {
    event.preventDefault();
    actions.scrollRows(event.deltaY);
  },
  { passive: false },
);
bindCanvas(canvas, { model, scene: () => scene, actions });
bindLibrary({ api, player, say, page, actions });
new ResizeObserver(() => {
  needsDraw = true;
}).observe(lanes);
window.addEventListener("themechange", () => {
  needsDraw = true;
});
if (!shownTracks(model).length) say("Nothing to arrange yet. Bring files in on the Intake page.");
draw();
shell.run({
  frame,
  ready: () => {
    show();
    draw();
  },
});
// For measurements: frame times, the worst distance of picture and sound, and the timeline as the page knows it.
window.arrange = { frameTimes, model, player, moveView, samplesOfFrames, picture: () => picture };
