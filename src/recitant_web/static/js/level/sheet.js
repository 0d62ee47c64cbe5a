// The sheet of all clips: the rows in view, kept while nothing of them changes; choosing, typing, keys.

import { button, make } from "../lib/dom.js";
import { gainText, signed, timecode } from "../lib/units.js";
import { newWindowedBody } from "../lib/windowed.js";
import { COLUMNS, distanceOf, isOff, rowsShown } from "./model.js";
import { kindOf } from "../lib/roles.js";
import { isTyping } from "../lib/typing.js";

const MOST_BAR_LU = 12;

export function newSheet({ table, model, actions }) {
  const kept = new Map(); // id -> { of: the row's data, line: its element }
  const head = table.tHead;
  const body = table.tBodies[0];
  const shown = newWindowedBody({
    table,
    scroller: table.parentElement,
    line: (row) => marked(lineOf(row), row.id),
    idOf: (row) => row.id,
    isKept: (row) => row.id === model.focusId,
  });

  head.replaceChildren(
    make(
      "tr",
      {},
      ...COLUMNS.map((column) => {
        const sorter = button(column.label, () => actions.sort(column.key), {
          className: "sort",
          title: column.title || "",
        });
        const cell = make("th", { className: column.isText ? "" : "n" }, sorter);
        cell.dataset.key = column.key;
        return cell;
      }),
    ),
  );

  function cellText(value, digits = 1) {
    return value === null || value === undefined ? "–" : signed(value, digits);
  }

  function bar(row) {
    const distance = distanceOf(row);
    const span = make("span", { className: `aim-bar ${kindOf(row.role)}${isOff(row) ? " is-off" : ""}` });
    if (distance !== null) {
      const wide = (Math.min(MOST_BAR_LU, Math.abs(distance)) / MOST_BAR_LU) * 50;
      span.style.setProperty("--from", `${distance < 0 ? 50 - wide : 50}%`);
      span.style.setProperty("--wide", `${Math.max(1, wide)}%`);
    }
    span.title =
      distance === null
        ? row.is_room_tone
          ? "room tone has no aim"
          : "cannot be measured"
        : `${signed(distance)} LU from its aim of ${signed(row.aim_lufs, 0)} LUFS`;
    return span;
  }

  function build(row) {
    const name = make(
      "td",
      { className: "name" },
      make("span", { className: `letter small ${kindOf(row.role)}`, textContent: row.letter }),
      make("span", { className: "words", textContent: row.name, title: row.name }),
    );
    if (row.is_out)
      name.append(make("small", { className: "is-out", textContent: "out", title: "Out of the mix: in no file" }));
    if (row.chain.length)
      name.append(
        make("small", {
          className: "soft",
          textContent: `${row.chain.length}×`,
          title: `Processors: ${row.chain.join(", ")}`,
        }),
      );
    if (row.outliers.length)
      name.append(
        make("small", {
          className: "over",
          textContent: "outlier",
          title: "A short burst far over the rest; its level is measured without it",
        }),
      );
    const gain = make("input", {
      className: "gain mono",
      type: "text",
      inputMode: "decimal",
      value: gainText(row.gain_db),
      tabIndex: -1,
    });
    gain.setAttribute("aria-label", `Gain of ${row.name}, dB`);
    gain.addEventListener("focus", () => gain.select());
    gain.addEventListener("change", async () => {
      if (!(await actions.setGain(row.id, gain.value))) gain.value = gainText(row.gain_db);
    });
    gain.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") {
        gain.blur();
        body.querySelector(`[data-id="${row.id}"]`)?.focus();
      }
      if (event.key === "Escape") {
        gain.value = gainText(row.gain_db);
        gain.blur();
      }
    });
    const advised =
      row.advised_db === null || Math.abs(row.advised_db - row.gain_db) < 0.05
        ? make("span", {
            className: "soft",
            textContent: row.advised_db === null ? "–" : "✓",
            title: "It is where it is meant to be",
          })
        : button(
            gainText(row.advised_db),
            (event) => {
              event.stopPropagation();
              actions.advise([row.id]);
            },
            { className: "quiet mono advice", title: "Set this gain", tabIndex: -1 },
          );
    const line = make(
      "tr",
      { tabIndex: -1 },
      name,
      make("td", { className: "soft words", textContent: row.speaker, title: row.speaker }),
      make("td", { className: "n mono", textContent: timecode(row.start_sample, model.state.frame_rate).slice(3) }),
      make("td", {
        className: `n mono${isOff(row) ? " over" : ""}`,
        textContent: row.is_pending ? "…" : cellText(row.level_lufs),
      }),
      make("td", {}, bar(row)),
      make("td", { className: "n mono", textContent: cellText(row.short_term_lufs) }),
      make("td", { className: "n mono", textContent: row.has_peaks ? cellText(row.sample_peak_dbfs) : "…" }),
      make("td", {
        className: `n mono${row.true_peak_dbtp > 0 ? " over" : ""}`,
        textContent: row.has_peaks ? cellText(row.true_peak_dbtp) : "…",
      }),
      make("td", { className: "n mono", textContent: cellText(row.range_lu) }),
      make("td", { className: "n mono", textContent: cellText(row.noise_lufs, 0) }),
      make("td", { className: "n" }, gain),
      make("td", { className: "n" }, advised),
    );
    line.dataset.id = row.id;
    return line;
  }

  // Rows that did not change are the same objects, and keep what was built for them.
  function lineOf(row) {
    const found = kept.get(row.id);
    // What is being typed into stays; the edit that comes of it builds it anew.
    if (found && (found.of === row || isTyping(found.line))) return found.line;
    const built = build(row);
    const had = found && document.activeElement === found.line;
    kept.set(row.id, { of: row, line: built });
    if (found && found.line.isConnected) found.line.replaceWith(built);
    if (had) built.focus({ preventScroll: true });
    return built;
  }

  function show() {
    const rows = rowsShown(model);
    shown.show(rows);
    for (const cell of head.rows[0].cells)
      cell.ariaSort = cell.dataset.key === model.sort.key ? (model.sort.isUp ? "ascending" : "descending") : "none";
    return rows;
  }

  function marked(row, id) {
    row.classList.toggle("is-focus", id === model.focusId);
    row.classList.toggle("is-chosen", model.chosen.has(id));
    row.ariaSelected = String(model.chosen.has(id) || id === model.focusId);
    row.tabIndex = id === model.focusId ? 0 : -1;
    return row;
  }

  function mark() {
    for (const row of body.children) if (row.dataset.id) marked(row, row.dataset.id);
  }

  function focusOn(id) {
    shown.reveal(id);
    body.querySelector(`[data-id="${id}"]`)?.focus({ preventScroll: true });
  }

  body.addEventListener("click", (event) => {
    const line = event.target.closest("tr");
    if (!line) return;
    actions.choose(line.dataset.id, { isRange: event.shiftKey, isMore: event.ctrlKey || event.metaKey });
    if (!event.target.closest("input, button")) line.focus({ preventScroll: true });
  });
  body.addEventListener("dblclick", (event) => {
    const line = event.target.closest("tr");
    if (line && !event.target.closest("input, button")) actions.goTo(line.dataset.id);
  });
  // The clip so many rows away from the one in focus, as far as there are any.
  function step(by, isRange) {
    const rows = rowsShown(model);
    const at = rows.findIndex((row) => row.id === model.focusId);
    const row = rows[Math.min(rows.length - 1, Math.max(0, at + by))];
    if (!row) return;
    actions.choose(row.id, { isRange, isKey: true });
    focusOn(row.id);
  }

  function typeGain() {
    body.querySelector(`[data-id="${model.focusId}"] input.gain`)?.focus();
  }
  return { show, mark, focusOn, step, typeGain };
}
