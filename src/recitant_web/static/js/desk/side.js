// The explanation at the right and the readings at the foot, as text: everything the canvases show is here too.

import { gainText, signed } from "../lib/units.js";
import { make } from "../lib/dom.js";
import { clipsInOrder, duckOf, staveOf } from "./model.js";

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

export function showVerdict(state) {
  const badge = document.getElementById("verdict");
  const failures = state.findings.filter((f) => f.state === "fail");
  const failed = failures[0];
  // Peaks alone are the limiter's work at hand-over, and the fit has tried whether it can.
  const isLimited = state.is_exact && failures.length === 1 && failed.key === "true_peak_dbtp" && state.fit.is_exact && state.fit.is_reached;
  const integrated = state.findings[0];
  badge.className = `verdict mono ${state.is_exact ? (failed ? "over" : "within") : "waits"}`;
  badge.title = isLimited ? state.fit.sentence : "";
  if (isLimited) {
    badge.className = "verdict mono within";
    badge.textContent = `${signed(integrated.measured)} ✓ with limiting`;
  } else if (failed && failed.measured !== null) {
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
    const duck = duckOf(model, row.role);
    const dips = { curve: "dips", live: "keyed" };
    const gives = duck ? ` · ${duck.rule.is_frozen ? "dips, frozen" : dips[duck.rule.kind]}` : "";
    head.append(
      make("span", { className: "letter", textContent: stave.letter }), make("b", {}, stave.name, lanes),
      make("span", { className: "aim mono", textContent: `aim ${signed(stave.aim_lufs, 0)}${gives}` }),
      make("div", { className: "fader" }, fader, input),
      make("div", { className: "hear" }, toggle(model.muted, "mute", "Leave this stem out of what you hear. The mix keeps it."), toggle(model.only, "solo", "Hear this stem alone. The mix keeps the others.")),
    );
    return head;
  }));
  const { clearance } = model.state;
  const lane = make("section", { className: "head lane" });
  lane.style.top = `${score.lane.top}px`;
  lane.style.height = `${score.lane.height}px`;
  const n = clearance.passages.length;
  const words = !clearance.has_speech ? "no speech found yet" : n ? `${n} passage${n === 1 ? "" : "s"} too close` : "✓ clear everywhere";
  lane.append(make("b", { textContent: "Clearance" }), make("span", { className: "soft", textContent: "speech above the rest, LU" }), make("span", { className: n ? "over" : clearance.has_speech ? "within" : "soft", textContent: words }));
  container.append(lane);
  if (focused) container.querySelector(`[data-key="${focused}"]`)?.focus();
}
