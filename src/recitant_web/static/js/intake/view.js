// The Intake page: files go up, the table sorts and filters, a file is chosen, heard, marked and told what it is.

import { Player } from "../lib/player.js";
import { fitCanvas, themeOf } from "../lib/canvas.js";
import { newNotice } from "../lib/page.js";
import { bindShortcuts, newShortcutsDialog } from "../lib/shortcuts.js";
import { RATE_HZ, signed } from "../lib/units.js";
import { drawOutline, Waves } from "../lib/waves.js";
import { bindSending } from "./sending.js";
import { kindOf } from "../lib/roles.js";
import { shortcutsOf } from "./shortcuts.js";

const page = document.getElementById("intake");
const sources = document.getElementById("sources");
const side = document.getElementById("source");
const sending = document.querySelector(".sending");
const big = document.getElementById("big");
const theme = themeOf(document.documentElement);
const say = newNotice();
const chosen = new Set();
const shown = new Set();
let current = null;
let sortedBy = null;
let isDescending = false;
let marks = { from: null, to: null };
let facts = {};
const player = new Player("", { parameters: () => ({}), length: () => facts[current]?.length || 0, onFault: say });
let willDraw = false;
const waves = new Waves(page.dataset.outline, () => {
  if (!willDraw) {
    willDraw = true;
    requestAnimationFrame(() => {
      willDraw = false;
      drawAll();
    });
  }
});

bindSending({ page, sending, refresh: () => refresh() });

const refresh = () => load("GET", page.dataset.sources, sources);

// While files are being read the table is asked for again, by the same way as everything else: an answer that was asked
// for before a role was given never takes the place of the one after it.
const BUSY_MS = 700;
const AGAIN_MS = 3000;
let nextLook = 0;
function lookAgain(delayMs) {
  clearTimeout(nextLook);
  nextLook = setTimeout(async () => {
    if (!(await refresh())) lookAgain(AGAIN_MS);
  }, delayMs);
}

// A table that came while a pointer is down waits for it: a press on a row that is replaced before the release is no click.
let isPressed = false;
let doesTableWait = false;
sources.addEventListener("pointerdown", () => (isPressed = true));
for (const end of ["pointerup", "pointercancel"]) {
  window.addEventListener(end, () => {
    isPressed = false;
    if (doesTableWait) setTimeout(refresh);
    doesTableWait = false;
  });
}
function mustWait(target) {
  if (target === sources && isPressed) doesTableWait = true;
  return target === sources && isPressed;
}

// Pieces of page asked for by hand or by buttons: each goes out at once. An answer that a later one has overtaken is
// dropped, and so is a look that went out beside a change: the answer to the change shows what became of it.
const asked = new Map();
function turnOf(target, isChange) {
  const known = asked.get(target) || { newest: 0, change: 0, open: 0 };
  asked.set(target, known);
  known.newest += 1;
  if (isChange) known.change = known.newest;
  const number = known.newest;
  const isBeside = known.open > 0;
  if (isChange) known.open += 1;
  return {
    isMine: () => (isChange ? known.change === number : known.newest === number && !isBeside),
    end: () => (known.open -= isChange ? 1 : 0),
  };
}
async function load(method, url, target, values = null) {
  const turn = turnOf(target, method === "POST");
  const headers = { "HX-Request": "true", "X-CSRFToken": page.dataset.csrf };
  const response = await fetch(url, { method, headers, body: values && new URLSearchParams(values) }).catch(() => null);
  turn.end();
  if (!response) {
    say("That did not reach the server. Check the connection; nothing is lost.");
    return false;
  }
  const html = await response.text();
  if (!response.ok) {
    say(sentenceIn(html));
    if (target === sources && method === "POST") lookAgain(BUSY_MS); // looks beside it were dropped
    return false;
  }
  if (!turn.isMine()) return false;
  if (!mustWait(target)) window.htmx.swap(target, html, { swapStyle: "innerHTML" });
  return true;
}

function sentenceIn(html) {
  const words = new DOMParser().parseFromString(html, "text/html").querySelector("main p")?.textContent;
  return words || "That did not work. Nothing is lost.";
}

const showSource = () => load("GET", `${page.dataset.sources}/${current}`, side);

// The table

const rows = () => [...sources.querySelectorAll("tr[data-source]")];
const visible = () => rows().filter((row) => !row.hidden);
const rowOf = (id) => sources.querySelector(`tr[data-source="${id}"]`);

function settle() {
  const table = document.getElementById("table");
  if ("busy" in table.dataset) lookAgain(BUSY_MS);
  facts = JSON.parse(table.dataset.facts);
  for (const [id, fact] of Object.entries(facts)) fact.id = id;
  const badge = document.querySelector(".steps .count");
  if (badge) {
    badge.textContent = table.dataset.open;
    badge.hidden = table.dataset.open === "0";
  }
  order();
  filter();
  mark();
  drawAll();
}

function filter() {
  const words = document.getElementById("find").value.trim().toLowerCase();
  const roles = [...shown].filter((one) => one !== "open");
  for (const row of rows()) {
    const isRole = !roles.length || roles.includes(row.dataset.role);
    const isOpen = !shown.has("open") || Number(row.dataset.findings) > 0 || row.dataset.state === "refused";
    row.hidden = !(isRole && isOpen && row.dataset.name.includes(words));
  }
  const all = rows().length;
  document.getElementById("counted").textContent = all ? `${visible().length} of ${all}` : "";
}

function order() {
  if (!sortedBy) return;
  const value = (row) => (["role", "name"].includes(sortedBy) ? row.dataset[sortedBy] : Number(row.dataset[sortedBy]));
  const sorted = rows().sort(
    (a, b) => (value(a) < value(b) ? -1 : value(a) > value(b) ? 1 : 0) * (isDescending ? -1 : 1),
  );
  const body = sources.querySelector("tbody");
  body?.append(...sorted);
  for (const button of sources.querySelectorAll(".sort")) {
    const isIt = button.dataset.sort === sortedBy;
    button.closest("th").setAttribute("aria-sort", isIt ? (isDescending ? "descending" : "ascending") : "none");
  }
}

function mark() {
  for (const row of rows()) {
    row.classList.toggle("is-chosen", chosen.has(row.dataset.source));
    row.setAttribute("aria-selected", String(chosen.has(row.dataset.source)));
    row.tabIndex = row.dataset.source === current ? 0 : -1;
  }
}

function choose(id, { isAdding = false, isRange = false } = {}) {
  if (isRange && current) {
    const ids = visible().map((row) => row.dataset.source);
    const [a, b] = [ids.indexOf(current), ids.indexOf(id)].sort((x, y) => x - y);
    ids.slice(a, b + 1).forEach((one) => chosen.add(one));
  } else if (isAdding) {
    if (chosen.has(id)) chosen.delete(id);
    else chosen.add(id);
  } else {
    chosen.clear();
    chosen.add(id);
  }
  if (id !== current) {
    player.stop();
    current = id;
    player.url = page.dataset.sound.replace("/0/sound", `/${id}/sound`);
    player.restSample = 0;
    marks = { from: null, to: null };
    showSource();
  }
  mark();
  drawBig();
  rowOf(id)?.focus({ preventScroll: false });
}

sources.addEventListener("click", (event) => {
  const sort = event.target.closest(".sort");
  if (sort) {
    isDescending = sortedBy === sort.dataset.sort ? !isDescending : ["findings", "length"].includes(sort.dataset.sort);
    sortedBy = sort.dataset.sort;
    order();
    return;
  }
  const row = event.target.closest("tr[data-source]");
  if (!row || event.target.closest("button")) return;
  choose(row.dataset.source, { isAdding: event.ctrlKey || event.metaKey, isRange: event.shiftKey });
  if (event.target.matches("canvas.small"))
    playFrom((event.offsetX / event.target.clientWidth) * facts[current].length);
});
document.getElementById("find").addEventListener("input", filter);
for (const button of document.querySelectorAll("[data-show]")) {
  button.addEventListener("click", () => {
    if (shown.has(button.dataset.show)) shown.delete(button.dataset.show);
    else shown.add(button.dataset.show);
    button.setAttribute("aria-pressed", String(shown.has(button.dataset.show)));
    filter();
  });
}

function setRole(role) {
  if (!chosen.size) {
    say("Choose a file first.");
    return;
  }
  load("POST", page.dataset.roles, sources, { ids: [...chosen].join(","), role }).then(() => {
    if (current) showSource();
  });
}

side.addEventListener("click", (event) => {
  const role = event.target.closest("[data-set-role]");
  if (role) setRole(role.dataset.setRole);
  const go = event.target.closest("[data-go]");
  if (go) playFrom(Math.max(0, Number(go.dataset.go) - 24000));
});

// Hearing

function playFrom(sample) {
  if (!facts[current]) return;
  player.seek(sample);
  if (!player.isPlaying) player.play();
}

function playOrStop() {
  if (!facts[current]) {
    say("Choose a file first.");
    return;
  }
  if (player.isPlaying) player.stop();
  else player.play();
}

big.addEventListener("pointerdown", (event) => {
  if (!facts[current]) return;
  player.seek((event.offsetX / big.clientWidth) * facts[current].length);
});

function setMark(edge) {
  if (!facts[current]) return;
  marks[edge] = player.position();
  if (marks.from !== null && marks.to !== null && marks.to <= marks.from) marks[edge === "from" ? "to" : "from"] = null;
  drawBig();
}

async function useMarked() {
  const fact = facts[current];
  const values = { from: marks.from ?? 0, to: marks.to ?? fact.length };
  if (!(await load("POST", `${page.dataset.sources}/${current}/use`, side, values))) return;
  say("Laid at the programme's start; Arrange moves it.", true);
  refresh();
}

// Drawing

function drawAll() {
  for (const row of rows()) {
    const fact = facts[row.dataset.source];
    const canvas = row.querySelector("canvas.small");
    if (!fact || !canvas) continue;
    const context = fitCanvas(canvas, 180, 30);
    context.clearRect(0, 0, 180, 30);
    context.fillStyle = theme[kindOf(row.dataset.role)] || theme.soft;
    drawOutline(context, waves, fact, {
      from: 0,
      samplesPerPixel: fact.length / 180,
      left: 0,
      right: 180,
      top: 0,
      height: 30,
      zoom: 1.4,
    });
  }
  drawBig();
}

function drawBig() {
  const fact = facts[current];
  const { clientWidth: width, clientHeight: height } = big;
  const context = fitCanvas(big, width, height);
  context.clearRect(0, 0, width, height);
  const isMarked = marks.from !== null || marks.to !== null;
  document.querySelector('[data-do="use"]').disabled = !fact || !isMarked;
  if (!fact) return;
  const x = (sample) => (sample / fact.length) * width;
  context.fillStyle = theme.dialogue;
  for (const [start, length] of fact.speech) context.fillRect(x(start), height - 2, Math.max(1, x(length)), 2);
  if (isMarked) {
    context.fillStyle = theme.rule;
    const [from, to] = [x(marks.from ?? 0), x(marks.to ?? fact.length)];
    context.fillRect(from, 0, to - from, height);
  }
  context.fillStyle = theme[kindOf(rowOf(current)?.dataset.role || "")] || theme.soft;
  drawOutline(context, waves, fact, {
    from: 0,
    samplesPerPixel: fact.length / width,
    left: 0,
    right: width,
    top: 0,
    height,
    zoom: 1,
  });
  context.fillStyle = theme.over;
  for (const [start, length] of fact.places.slice(0, 300)) context.fillRect(x(start), 0, Math.max(1.5, x(length)), 3);
  context.fillRect(x(player.position()) - 0.75, 0, 1.5, height);
}

let lastShown = "";
function tick() {
  const at = player.position();
  const text = `${Math.floor(at / 2880000)}:${String(Math.floor(at / RATE_HZ) % 60).padStart(2, "0")}.${Math.floor(at / 4800) % 10}`;
  const reading = player.reading();
  const state = `${current}${at}${player.isPlaying}`;
  if (state !== lastShown) {
    lastShown = state;
    document.getElementById("at").textContent = text;
    document.getElementById("play-shape").setAttribute("d", player.isPlaying ? "M2 2h12v12H2z" : "M3 1l12 7-12 7z");
    drawBig();
  }
  if (reading) {
    document.getElementById("r-momentary").textContent =
      reading.momentary <= -1000 ? "–" : signed(reading.momentary / 10);
    document.getElementById("r-peak").textContent = signed(Math.max(...reading.peaks) / 10);
  }
  requestAnimationFrame(tick);
}

function step(by, isRange) {
  const ids = visible().map((row) => row.dataset.source);
  const at = ids.indexOf(current);
  const next = ids[Math.min(ids.length - 1, Math.max(0, at < 0 ? 0 : at + by))];
  if (next) choose(next, { isRange });
}

const seekBy = (seconds) => player.seek(player.position() + seconds * RATE_HZ);
const shortcuts = shortcutsOf({ step, setRole, playOrStop, seekBy, setMark, showShortcuts: () => showShortcuts() });
const showShortcuts = newShortcutsDialog(shortcuts);
bindShortcuts(shortcuts);
const buttons = { play: playOrStop, "mark-in": () => setMark("from"), "mark-out": () => setMark("to"), use: useMarked };
for (const [name, action] of Object.entries(buttons))
  document.querySelector(`[data-do="${name}"]`).addEventListener("click", action);

// What buttons ask for takes its turn with the rest.
const turns = new WeakMap();
document.body.addEventListener("htmx:beforeRequest", (event) => {
  const { target, xhr, requestConfig } = event.detail;
  if (target === sources) turns.set(xhr, turnOf(sources, requestConfig.verb !== "get"));
});
document.body.addEventListener("htmx:beforeSwap", (event) => {
  const { target, xhr } = event.detail;
  if (turns.get(xhr)?.isMine() === false || mustWait(target)) event.detail.shouldSwap = false;
});
document.body.addEventListener("htmx:afterRequest", (event) => turns.get(event.detail.xhr)?.end());
document.body.addEventListener("htmx:afterSwap", (event) => {
  if (event.target.id === "sources" || event.target.closest?.("#sources")) settle();
});
document.body.addEventListener("htmx:responseError", (event) => {
  say(sentenceIn(event.detail.xhr.responseText));
});
new ResizeObserver(drawAll).observe(page);
window.addEventListener("themechange", drawAll);
settle();
page.dataset.ready = "true";
requestAnimationFrame(tick);
