// The explanation at the right and the readings at the foot, as text: everything the canvases show is here too.

import { gainText, signed } from "../lib/units.js";
import { clipsInOrder, selectedClip, staveOf } from "./model.js";

const make = (tag, properties = {}, ...children) => {
  const element = Object.assign(document.createElement(tag), properties);
  element.append(...children);
  return element;
};

export function gainInput(label, valueDb, onGain) {
  const input = make("input", { className: "gain mono", type: "text", inputMode: "decimal", value: gainText(valueDb) });
  input.setAttribute("aria-label", `${label}, dB`);
  input.addEventListener("focus", () => input.select());
  input.addEventListener("change", () => onGain(input.value));
  input.addEventListener("keydown", (event) => {
    if (event.key === "Enter") input.blur();
    if (event.key === "Escape") { input.value = gainText(valueDb); input.blur(); }
  });
  return input;
}

export function showPath(model, setGain) {
  const of = document.getElementById("path-of");
  const path = document.getElementById("path");
  const clip = selectedClip(model);
  path.replaceChildren();
  of.textContent = clip ? clip.name : "Choose a clip on its stave.";
  if (!clip) return;
  const stave = staveOf(model, clip.role);
  const track = stave.tracks.find((t) => t.id === clip.track_id);
  const row = (name, value, css = "") => path.append(make("div", { className: css }, make("span", { textContent: name }), value));
  const gain = (name, valueDb, target, id) => {
    const input = gainInput(`${name} of ${target === "stem" ? stave.name : target === "track" ? track.name : clip.name}`, valueDb, (text) => setGain(target, id, text));
    input.dataset.path = target;
    row(name, input);
  };
  row("as recorded", make("span", { textContent: signed(clip.recorded_lufs) }));
  gain("clip gain", clip.gain_db, "clip", clip.id);
  gain("track fader", track.gain_db, "track", track.id);
  gain("stem fader", stave.gain_db, "stem", stave.role);
  row("in the mix, LUFS", make("span", { textContent: signed(clip.in_mix_lufs) }), "sum");
  if (clip.in_mix_lufs !== null) {
    const miss = clip.in_mix_lufs - stave.aim_lufs;
    const where = Math.abs(miss) < 0.05 ? "at" : `${signed(Math.abs(miss))} LU ${miss > 0 ? "over" : "under"}`;
    path.append(make("span", { className: "soft", textContent: `${where} its aim of ${signed(stave.aim_lufs)}` }));
  }
}

export function showVerdict(state) {
  const badge = document.getElementById("verdict");
  const failed = state.findings.find((f) => f.state === "fail");
  const integrated = state.findings[0];
  badge.className = `verdict mono ${state.is_exact ? (failed ? "over" : "within") : "waits"}`;
  if (failed && failed.measured !== null) {
    const unit = failed.unit === "LUFS" ? "LU" : "dB";
    badge.textContent = `${signed(failed.measured)} ▲ ${signed(Math.abs(failed.miss))} ${unit} ${failed.miss > 0 ? "over" : "under"}`;
  } else badge.textContent = failed ? "▲ silent" : `${signed(integrated.measured)} ✓ passes`;
  if (!state.is_exact && !failed) badge.textContent = `${signed(integrated.measured)} measuring`;
  const { spec } = state;
  document.getElementById("spec-limits").textContent = `${signed(spec.target_lufs)} ±${spec.tolerance_lu} LUFS · ${signed(spec.max_true_peak_dbtp, 0)} dBTP`;
  document.getElementById("spec").value = spec.id;
  document.getElementById("verdict-words").textContent = state.is_exact ? "The mix as balanced, measured." : "Estimated at once; the exact figures follow.";
  document.getElementById("fit-words").textContent = state.fit.sentence + (state.fit.is_exact ? "" : " (predicted)");
  document.getElementById("findings").replaceChildren(...state.findings.map(findingRow));
  for (const key of ["integrated_lufs", "range_lu", "true_peak_dbtp"]) {
    const finding = state.findings.find((f) => f.key === key);
    const cell = document.getElementById(`r-${key}`);
    cell.textContent = finding.state === "pending" ? "…" : signed(finding.measured);
    cell.className = finding.state === "fail" ? "over" : "";
    cell.parentElement.classList.toggle("waits", !state.is_exact);
  }
}

function findingRow(finding) {
  const limit = finding.high === null ? "" : finding.low === null ? `≤ ${signed(finding.high)}` : `${signed(finding.low)}…${signed(finding.high)}`;
  const mark = { pass: "✓", fail: "▲", reported: "", pending: "…" }[finding.state];
  const words = { pass: "passes", fail: "fails", reported: "reported", pending: "being measured" }[finding.state];
  const measured = finding.state === "pending" ? "…" : signed(finding.measured);
  const css = { fail: "over", pass: "within" }[finding.state] || "soft";
  const cell = make("td", { className: css, textContent: mark, title: words });
  cell.setAttribute("aria-label", words);
  return make("tr", {}, make("td", { textContent: finding.name }), make("td", { className: "n", textContent: measured }), make("td", { className: "soft n", textContent: limit }), cell);
}

export function showClipTable(model, setGain, select) {
  const rows = clipsInOrder(model).map((clip) => {
    const button = make("button", { className: "quiet", type: "button", textContent: `${clip.role[0].toUpperCase()} ${clip.name}` });
    button.addEventListener("click", () => select(clip.id));
    const input = gainInput(`Gain of ${clip.name}`, clip.gain_db, (text) => setGain("clip", clip.id, text));
    return make("tr", {}, make("td", {}, button), make("td", { className: "n mono", textContent: signed(clip.in_mix_lufs) }), make("td", { className: "n" }, input));
  });
  document.getElementById("clip-table").replaceChildren(...rows);
}

export function showHeads(container, model, score, { setGain, toggleHeard }) {
  const focused = document.activeElement && document.activeElement.dataset ? document.activeElement.dataset.key : null;
  container.replaceChildren(...score.rows.map((row) => {
    const stave = staveOf(model, row.role);
    const head = make("section", { className: `head ${row.role}` });
    head.style.top = `${row.top}px`;
    head.style.height = `${row.height}px`;
    head.setAttribute("aria-label", `${stave.name} stem`);
    const fader = make("input", { type: "range", min: -40, max: 12, step: 0.1, value: row.stemDb });
    fader.setAttribute("aria-label", `${stave.name} stem fader, dB`);
    fader.dataset.key = `${row.role}-fader`;
    fader.addEventListener("change", () => setGain("stem", row.role, fader.value));
    const toggle = (set, text, title) => {
      const button = make("button", { className: "toggle", type: "button", textContent: text, title });
      button.setAttribute("aria-pressed", String(set.has(row.role)));
      button.dataset.key = `${row.role}-${text}`;
      button.addEventListener("click", () => toggleHeard(set, row.role));
      return button;
    };
    const input = gainInput(`${stave.name} stem`, row.stemDb, (text) => setGain("stem", row.role, text));
    input.dataset.key = `${row.role}-gain`;
    const lanes = make("small", { textContent: stave.tracks.length > 1 ? `${stave.tracks.length} tracks` : "" });
    head.append(
      make("span", { className: "letter", textContent: stave.letter }), make("b", {}, stave.name, lanes),
      make("span", { className: "aim mono", textContent: `aim ${signed(stave.aim_lufs, 0)}` }),
      make("div", { className: "fader" }, fader, input),
      make("div", { className: "hear" }, toggle(model.muted, "mute", "Leave this stem out of what you hear. The mix keeps it."), toggle(model.only, "solo", "Hear this stem alone. The mix keeps the others.")),
    );
    return head;
  }));
  if (focused) container.querySelector(`[data-key="${focused}"]`)?.focus();
}
