// The verdict at the top and its findings, as text.

import { make } from "./dom.js";
import { signed } from "./units.js";

export function showVerdict(state) {
  const badge = document.getElementById("verdict");
  // After an edit the figures of before stand here until those of the new mix come.
  const isExact = state.is_exact && state.figures_of === state.revision;
  const failures = state.findings.filter((f) => f.state === "fail");
  const failed = failures[0];
  // Peaks alone are the limiter's work at hand-over, and the fit has tried whether it can.
  const isLimited =
    isExact && failures.length === 1 && failed.key === "true_peak_dbtp" && state.fit.is_exact && state.fit.is_reached;
  const integrated = state.findings[0];
  badge.className = `verdict mono ${isExact ? (failed ? "over" : "within") : "waits"}`;
  badge.title = isLimited ? `${state.fit.sentence} ${state.fit.cure}` : "";
  if (isLimited) {
    badge.className = "verdict mono within";
    badge.textContent = `${signed(integrated.measured)} ${state.fit.is_squashed ? "◆ squashed" : "✓ with limiting"}`;
    if (state.fit.is_squashed) badge.className = "verdict mono brass";
  } else if (failed && failed.measured !== null) {
    const unit = failed.unit === "LUFS" ? "LU" : "dB";
    badge.textContent = `${signed(failed.measured)} ▲ ${signed(Math.abs(failed.miss))} ${unit} ${failed.miss > 0 ? "over" : "under"}`;
  } else badge.textContent = failed ? "▲ silent" : `${signed(integrated.measured)} ✓ passes`;
  if (!isExact && !failed) badge.textContent = `${signed(integrated.measured)} measuring`;
  const { spec } = state;
  document.getElementById("spec-limits").textContent =
    `${signed(spec.target_lufs)} ±${spec.tolerance_lu} LUFS · ${signed(spec.max_true_peak_dbtp, 0)} dBTP`;
  document.getElementById("spec").value = spec.id;
  document.getElementById("verdict-words").textContent = isExact
    ? "The mix as balanced, measured."
    : "Estimated at once; the exact figures follow.";
  document.getElementById("fit-words").textContent = [
    state.fit.is_squashed ? "◆ Passes, but squashed." : "",
    state.fit.sentence,
    state.fit.is_exact ? "" : "(foretold)",
    state.fit.cure,
  ]
    .filter(Boolean)
    .join(" ");
  document.getElementById("findings").replaceChildren(...state.findings.map(findingRow));
  for (const key of ["integrated_lufs", "range_lu", "true_peak_dbtp"]) {
    const finding = state.findings.find((f) => f.key === key);
    const cell = document.getElementById(`r-${key}`);
    const isPending = finding.state === "pending";
    if (!isPending || !cell.textContent.startsWith("≥")) cell.textContent = isPending ? "…" : signed(finding.measured);
    if (isPending) cell.dataset.isPending = "true";
    else delete cell.dataset.isPending;
    cell.className = finding.state === "fail" ? "over" : "";
    cell.parentElement.classList.toggle("waits", !isExact);
  }
}

function findingRow(finding) {
  const limit =
    finding.high === null
      ? ""
      : finding.low === null
        ? `≤ ${signed(finding.high)}`
        : `${signed(finding.low)}…${signed(finding.high)}`;
  const mark = { pass: "✓", fail: "▲", reported: "", pending: "…" }[finding.state];
  const words = { pass: "passes", fail: "fails", reported: "reported", pending: "being measured" }[finding.state];
  const measured = finding.state === "pending" ? "…" : signed(finding.measured);
  const css = { fail: "over", pass: "within" }[finding.state] || "soft";
  const cell = make("td", { className: css, textContent: mark, title: words });
  cell.setAttribute("aria-label", words);
  return make(
    "tr",
    {},
    make("td", { textContent: finding.name }),
    make("td", { className: "n", textContent: measured }),
    make("td", { className: "soft n", textContent: limit }),
    cell,
  );
}
