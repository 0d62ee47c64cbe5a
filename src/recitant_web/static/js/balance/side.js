// The heads of the staves and the table of clips, as text: everything the canvases show is here too.

import { signed } from "../lib/units.js";
import { button, make } from "../lib/dom.js";
import { gainInput } from "../lib/fields.js";
import { newWindowedBody } from "../lib/windowed.js";
import { clipsByTime, duckOf, staveOf } from "./model.js";
import { kindOf } from "../lib/roles.js";
import { isTyping } from "../lib/typing.js";

// All clips as a table, in a box that can be opened; the rows in view are built, and only while it is open.
export function newClipTable({ table, model, setGain, select }) {
  const kept = new WeakMap(); // a clip's data -> its row
  const details = table.closest("details");
  const shown = newWindowedBody({
    table,
    scroller: table.parentElement,
    line: (clip) => {
      if (!kept.has(clip)) kept.set(clip, rowOf(clip));
      return kept.get(clip);
    },
    idOf: (clip) => clip.id,
    isKept: (clip) => Boolean(kept.get(clip)?.contains(document.activeElement)),
  });

  function rowOf(clip) {
    const name = button(`${clip.letter} ${clip.name}`, () => select(clip.id), { className: "quiet" });
    const input = gainInput(`Gain of ${clip.name}`, clip.gain_db, (text) => setGain("clip", clip.id, text));
    return make(
      "tr",
      {},
      make("td", {}, name),
      make("td", { className: "n mono", textContent: signed(clip.in_mix_lufs) }),
      make("td", { className: "n" }, input),
    );
  }

  function show() {
    if (details.open && !isTyping(table)) shown.show(clipsByTime(model));
  }

  details.addEventListener("toggle", show);
  return { show };
}

export function showHeads(container, model, score, { setGain, toggleHeard, openStave }) {
  const focused = document.activeElement && document.activeElement.dataset ? document.activeElement.dataset.key : null;
  container.replaceChildren(
    ...score.rows.map((row) => {
      const stave = staveOf(model, row.role);
      const head = make("section", { className: `head ${kindOf(row.role)}` });
      head.style.top = `${row.top}px`;
      head.style.height = `${row.height}px`;
      head.setAttribute("aria-label", `${stave.name} stem`);
      const fader = make("input", { type: "range", min: -40, max: 12, step: 0.1, value: row.stemDb });
      fader.setAttribute("aria-label", `${stave.name} stem fader, dB`);
      fader.dataset.key = `${row.role}-fader`;
      fader.addEventListener("change", () => setGain("stem", row.role, fader.value));
      const toggle = (set, text, title) => {
        const found = button(text, () => toggleHeard(set, row.role), { className: "toggle", title });
        found.setAttribute("aria-pressed", String(set.has(row.role)));
        found.dataset.key = `${row.role}-${text}`;
        return found;
      };
      const input = gainInput(`${stave.name} stem`, row.stemDb, (text) => setGain("stem", row.role, text));
      input.dataset.key = `${row.role}-gain`;
      const isOpen = model.openRoles.has(row.role);
      const lanes =
        stave.tracks.length > 1
          ? button(`${stave.tracks.length} ${isOpen ? "▾" : "▸"}`, () => openStave(row.role), {
              className: "tracks-open",
              title: isOpen ? "Show them on one stave" : "Show each track on a lane of its own",
            })
          : make("small");
      if (stave.tracks.length > 1) {
        lanes.setAttribute("aria-expanded", String(isOpen));
        lanes.setAttribute("aria-label", `${stave.tracks.length} tracks of ${stave.name}`);
      }
      lanes.dataset.key = `${row.role}-tracks`;
      const duck = duckOf(model, row.role);
      const dips = { curve: "dips", live: "keyed" };
      const gives = duck ? ` · ${duck.rule.is_frozen ? "dips, frozen" : dips[duck.rule.kind]}` : "";
      const { lines } = stave;
      const places = !lines
        ? `aim ${signed(stave.aim_lufs, 0)}${gives}`
        : lines.open_lufs === lines.under_lufs
          ? `even at ${signed(lines.open_lufs, 0)}`
          : `${signed(lines.open_lufs, 0)}, under speech ${signed(lines.under_lufs, 0)}`;
      const meter = make("i", { className: "stem-meter" });
      meter.dataset.role = row.role;
      head.append(
        meter,
        make("span", { className: "letter", textContent: stave.letter }),
        make("b", {}, stave.name, lanes),
        make("span", { className: "aim mono", textContent: places }),
        make("div", { className: "fader" }, fader, input),
        make(
          "div",
          { className: "hear" },
          toggle(model.muted, "mute", "Leave this stem out of what you hear. The mix keeps it."),
          toggle(model.only, "solo", "Hear this stem alone. The mix keeps the others."),
        ),
      );
      return head;
    }),
  );
  const { clearance } = model.state;
  const lane = make("section", { className: "head lane" });
  lane.style.top = `${score.lane.top}px`;
  lane.style.height = `${score.lane.height}px`;
  const n = clearance.passages.length;
  const words = !clearance.has_speech
    ? "no speech found yet"
    : n
      ? `${n} passage${n === 1 ? "" : "s"} too close`
      : "✓ clear everywhere";
  lane.append(
    make("b", { textContent: "Clearance" }),
    make("span", { className: "soft", textContent: "speech above the rest, LU" }),
    make("span", { className: n ? "over" : clearance.has_speech ? "within" : "soft", textContent: words }),
  );
  const nLost = (clearance.lost || []).length;
  if (nLost) {
    const href = "words";
    const title = "Words of the dialogue that are not heard in the mix: on the Words page with cause and cures";
    lane.append(
      make("a", { className: "over", href, title, textContent: `× ${nLost} word${nLost === 1 ? "" : "s"} lost` }),
    );
  }
  container.append(lane);
  if (focused) container.querySelector(`[data-key="${focused}"]`)?.focus();
}
