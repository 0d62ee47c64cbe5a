// How a stave gives way to speech: the rule as fields, what it came to, and the points of the curve.

import { button, make } from "../lib/dom.js";
import { check, choice, details, numberField, row } from "../lib/fields.js";
import { clock, gainText, signed } from "../lib/units.js";
import { levelRows, trimRows } from "./levelspanel.js";
import { duckOf, gainAt, selectedClip, staveOf } from "./model.js";
import { isSpeech, kindOf, labelOf } from "../lib/roles.js";

const MOST_POINTS = 24;
const nameOf = (role) => (kindOf(role) === "dialogue" ? `${labelOf(role)} under narration` : labelOf(role));

export function showGiveWay(model, position, { edit, editPoint }) {
  const box = document.getElementById("give-way");
  const chosen = selectedClip(model);
  const role = model.focusRole || (chosen && chosen.role) || "music";
  const roles = model.state.staves.map((stave) => stave.role);
  // Dialogue gives way to nothing but narration.
  const isNarrated = roles.some((one) => kindOf(one) === "narration");
  const present = roles.filter((one) => !isSpeech(one) || (kindOf(one) === "dialogue" && isNarrated));
  const shown = present.includes(role) ? role : present[0];
  if (box.contains(document.activeElement) && document.activeElement.matches("input[type=text]")) return;
  const focusKey = box.contains(document.activeElement) ? document.activeElement.dataset.key : null;
  const openShortcuts = new Set([...box.querySelectorAll("details[open]")].map((d) => d.dataset.key));
  if (!shown) {
    box.replaceChildren(
      make("p", { className: "soft mb-0", textContent: "Nothing but dialogue here: nothing needs to give way." }),
    );
    return;
  }
  const tabs = make(
    "div",
    { className: "pair small-pair", role: "group" },
    ...present.map((one) => {
      const tab = button(nameOf(one), () => {
        model.focusRole = one;
        showGiveWay(model, position, { edit, editPoint });
      });
      tab.setAttribute("aria-pressed", String(one === shown));
      return tab;
    }),
  );
  const duck = duckOf(model, shown);
  box.replaceChildren(tabs, ...(duck ? ruleRows(model, duck, position, edit, editPoint) : addRows(model, shown, edit)));
  for (const part of box.querySelectorAll("details")) part.open = openShortcuts.has(part.dataset.key);
  if (focusKey) box.querySelector(`[data-key="${focusKey}"]`)?.focus();
}

function addRows(model, role, edit) {
  const start = choice(
    "Start from",
    [["", "its two levels"], ...model.state.starting_points.map(({ name, words }) => [name, words])],
    "",
    () => {},
  );
  const stave = staveOf(model, role);
  const rows = [
    make("p", { className: "soft mb-1", textContent: `${nameOf(role)} keeps its level while people talk.` }),
    row("start from", start),
    make(
      "div",
      { className: "acts" },
      button(
        `Let ${labelOf(role).toLowerCase()} give way`,
        () => edit({ kind: "duck-add", target: "stem", id: role, start: start.value }),
        { className: "act go" },
      ),
    ),
  ];
  if (stave.tracks.length > 1) {
    rows.push(
      make(
        "div",
        { className: "acts" },
        ...stave.tracks.map((track) =>
          button(
            `Only ${track.name}`,
            () => edit({ kind: "duck-add", target: "track", id: track.id, start: start.value }),
            { className: "quiet" },
          ),
        ),
      ),
    );
  }
  return rows;
}

function ruleRows(model, duck, position, edit, editPoint) {
  const { rule } = duck;
  const set = (change) =>
    edit((state) => {
      const now = state.ducks.find((one) => one.id === duck.id);
      return now
        ? { kind: "duck-rule", id: duck.id, rule: typeof change === "function" ? change(now.rule) : change }
        : null;
    });
  const number = (name, label, unit, part = null) =>
    row(
      label,
      numberField(
        `${label}, ${unit}`,
        part ? rule[part][name] : rule[name],
        (text) => set(part ? { [part]: { [name]: text } } : { [name]: text }),
        unit,
      ),
    );
  const flag = (name, label, part = null) =>
    check(label, part ? rule[part][name] : rule[name], (on) => set(part ? { [part]: { [name]: on } } : { [name]: on }));
  const feel = model.state.feels[duck.id] || { words: "…", is_restless: false }; // a new one's figures follow
  const top = [
    make("div", {
      className: feel.is_restless ? "over" : "soft",
      textContent: `${feel.is_restless ? "▲ " : ""}${duck.stem ? "" : `${duck.name}: `}${feel.words}`,
    }),
    row(
      "how",
      choice(
        "How it gives way",
        [
          ["curve", "drawn curve"],
          ["live", "live key"],
        ],
        rule.kind,
        (value) => set({ kind: value }),
      ),
    ),
  ];
  if (rule.kind === "live") {
    return [
      ...top,
      number("threshold_dbfs", "threshold", "dBFS", "live"),
      number("ratio", "ratio", "to 1", "live"),
      number("attack_ms", "attack", "ms", "live"),
      number("hold_ms", "hold", "ms", "live"),
      number("release_ms", "release", "ms", "live"),
      number("floor_db", "floor", "dB"),
      ...keyRows(model, duck, rule, set),
      endRow(duck, edit),
    ];
  }
  const clearance = () =>
    row(
      "clearance",
      numberField(
        "clearance, LU",
        rule.clearance_lu ?? model.state.clearance.asked_lu + rule.over_lu,
        (text) => set({ clearance_lu: text }),
        "LU",
      ),
    );
  const depth = {
    levels: () => levelRows(model, duck, set, edit),
    depth: () => [number("depth_db", "depth", "dB")],
    clearance: () => [clearance()],
  }[rule.aim]();
  const pair = make(
    "span",
    { className: "two" },
    numberField("lead-in, s", rule.lead_in_s, (text) => set({ lead_in_s: text }), ""),
    "/",
    numberField("recovery, s", rule.recovery_s, (text) => set({ recovery_s: text }), "s"),
  );
  return [
    ...top,
    row(
      "as deep as",
      choice(
        "How deep",
        [
          ["levels", "its two levels ask"],
          ["clearance", "clearance needs"],
          ["depth", "a fixed depth"],
        ],
        rule.aim,
        (value) => set({ aim: value }),
      ),
    ),
    ...depth,
    row("goes down / comes back", pair),
    number("bridge_s", "bridge gaps under", "s"),
    ...trimRows(model, duck, edit),
    details(
      "more",
      "More of the rule",
      row(
        "start from",
        choice(
          "Start from",
          [["", "as it is"], ...model.state.starting_points.map(({ name, words }) => [name, words])],
          "",
          (value) => {
            if (value) set({ start: value });
          },
        ),
      ),
      number("hold_s", "hold", "s"),
      ...(rule.aim === "levels" ? [] : [number("floor_db", "floor", "dB")]),
      number("least_change_db", "smallest change", "dB"),
      number("slope_db_per_s", "steepest slope", "dB/s"),
      flag("uses_phrases", "come up with the music's own phrases"),
      flag("is_frozen", "frozen: do not follow edits"),
      ...keyRows(model, duck, rule, set),
    ),
    details(
      "room",
      `Room in the spectrum: ${rule.room.is_on ? roomWords(duck) : "off"}`,
      flag("is_on", "a wide dip in the voice's range while speech sounds", "room"),
      number("centre_hz", "around", "Hz", "room"),
      number("width_octaves", "width", "oct", "room"),
      number("most_db", "deepest", "dB", "room"),
      check("lower the whole level too", rule.uses_level, (on) => set({ uses_level: on })),
      roomChart(duck),
    ),
    details("points", `Points of the curve (${duck.points.length})`, pointTable(duck, position, edit, editPoint)),
    endRow(duck, edit),
  ];
}

function keyRows(model, duck, rule, set) {
  const kinds = kindOf(duck.role) === "dialogue" ? ["narration"] : ["narration", "dialogue"];
  const voices = model.state.staves
    .filter((stave) => kinds.includes(kindOf(stave.role)))
    .flatMap((stave) => stave.tracks);
  if (voices.length < 2) return [];
  const all = voices.map((track) => track.id);
  const chosenOf = (one) => (one.keys.length ? one.keys : all);
  return [
    make("div", { className: "soft", textContent: "gives way to" }),
    ...voices.map((track) =>
      check(track.name, chosenOf(rule).includes(track.id), (on) =>
        set((now) => {
          const others = chosenOf(now).filter((id) => id !== track.id);
          const keys = on ? [...others, track.id] : others;
          return { keys: keys.length === all.length ? [] : keys.length ? keys : chosenOf(now) };
        }),
      ),
    ),
  ];
}

function endRow(duck, edit) {
  const end = duck.points.length ? duck.points.at(-1)[0] : 0;
  return make(
    "div",
    { className: "acts" },
    duck.n_pinned
      ? button(
          `Release ${duck.n_pinned} drawn`,
          () => edit({ kind: "duck-release", id: duck.id, from_sample: 0, to_sample: end }),
          { className: "quiet", title: "Points that you drew follow the rule again" },
        )
      : null,
    button("Stop giving way", () => edit({ kind: "duck-remove", id: duck.id }), { className: "quiet" }),
  );
}

function roomWords(duck) {
  const deepest = Math.min(0, ...duck.room_points.map(([, db]) => db));
  return duck.room_points.length ? `down to ${signed(deepest)} dB` : "not needed";
}

// The bell's depth over the programme.
function roomChart(duck) {
  if (!duck.room_points.length) return make("span");
  const last = duck.room_points.at(-1)[0] || 1;
  const most = duck.rule.room.most_db || 1;
  const points = [[0, 0], ...duck.room_points]
    .map(([at, db]) => `${((at / last) * 240).toFixed(1)},${(2 + (-db / most) * 36).toFixed(1)}`)
    .join(" ");
  const chart = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  chart.setAttribute("viewBox", "0 0 240 42");
  chart.setAttribute("class", "room-chart");
  chart.setAttribute("role", "img");
  chart.setAttribute("aria-label", `Depth of the bell over time, ${roomWords(duck)}`);
  const line = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
  line.setAttribute("points", points);
  chart.append(line);
  return chart;
}

function pointTable(duck, position, edit, editPoint) {
  const at = position();
  const near = duck.points
    .map((point, index) => ({ point, index }))
    .sort((a, b) => Math.abs(a.point[0] - at) - Math.abs(b.point[0] - at))
    .slice(0, MOST_POINTS)
    .sort((a, b) => a.index - b.index);
  const rows = near.map(({ point: [sample, db, isPinned] }) =>
    make(
      "tr",
      {},
      make("td", {
        className: "mono",
        textContent: `${clock(sample)}${isPinned ? " ◆" : ""}`,
        title: isPinned ? "Drawn by hand: it stays" : "Made by the rule",
      }),
      make(
        "td",
        {},
        numberField(
          `Gain of the point at ${clock(sample)}, dB`,
          db,
          (text) => editPoint(duck.id, sample, { kind: "duck-point", at_sample: sample, gain_db: text }),
          "dB",
        ),
      ),
      make(
        "td",
        {},
        button("×", () => editPoint(duck.id, sample, { kind: "duck-point-remove" }), {
          className: "quiet",
          ariaLabel: `Remove the point at ${clock(sample)}`,
        }),
      ),
    ),
  );
  const add = button(
    `Add a point at the playhead (${gainText(gainAt(duck.points, at))} dB)`,
    () => edit({ kind: "duck-point-add", id: duck.id, at_sample: Math.round(position()) }),
    { className: "quiet" },
  );
  return make("div", {}, add, make("table", { className: "plain" }, make("tbody", {}, ...rows)));
}
