// The two levels of what gives way as fields, and the scenes of a stem that are trimmed.

import { button, make } from "../lib/dom.js";
import { numberField, numberOf, row } from "../lib/fields.js";
import { clock, gainText, signed } from "../lib/units.js";
import { staveOf } from "./model.js";

// In LUFS for a stem, whose lines are drawn; against the dialogue's aim for a track by itself.
export function levelRows(model, duck, set, edit) {
  const { rule } = duck;
  const lines = duck.stem ? staveOf(model, duck.role)?.lines : null;
  const unit = lines ? "LUFS" : "LU";
  const base = lines ? lines.aim_lufs : 0;
  const put = (name) => (text) => {
    if (!lines) {
      set({ [name]: text });
      return;
    }
    const lufs = numberOf(text);
    if (!Number.isFinite(lufs)) {
      set({ [name]: text }); // the server says what is wrong with it
      return;
    }
    edit((state) => {
      const now = state.ducks.find((one) => one.id === duck.id);
      const lu = Math.round((lufs - base) * 10) / 10;
      return now
        ? { kind: "stem-levels", id: duck.id, open_lu: now.rule.open_lu, under_lu: now.rule.under_lu, [name]: lu }
        : null;
    });
  };
  const dip = rule.open_lu - rule.under_lu;
  const percent = Math.round(100 * rule.least_confidence);
  return [
    row("in the open", numberField(`in the open, ${unit}`, tenths(base + rule.open_lu), put("open_lu"), unit)),
    row("under speech", numberField(`under speech, ${unit}`, tenths(base + rule.under_lu), put("under_lu"), unit)),
    row("so it dips by about", make("span", { className: "mono", textContent: dip > 0 ? `${signed(dip)} dB` : "–" })),
    row(
      "at most",
      numberField("deepest dip, dB", -rule.floor_db, (text) => set({ floor_db: negated(text) }), "dB"),
    ),
    row(
      "speech at least",
      numberField(
        "how sure speech must be, percent",
        percent,
        (text) => set({ least_confidence: shareOf(text) }),
        "% sure",
      ),
    ),
  ];
}

const tenths = (value) => Math.round(value * 10) / 10;
const negated = (text) => {
  const number = numberOf(text);
  return Number.isFinite(number) ? String(-Math.abs(number)) : text;
};
const shareOf = (text) => {
  const number = numberOf(text);
  return Number.isFinite(number) ? String(number / 100) : text;
};

// Scenes of a stem with a gain of their own, each to be set or left as it came.
export function trimRows(model, duck, edit) {
  const stave = duck.stem ? staveOf(model, duck.role) : null;
  if (!stave || !stave.trim.length) return [];
  const set = (start, text) => edit({ kind: "trim-scene", role: stave.role, start_sample: start, gain_db: text });
  const shown = stave.trim.filter(([, db, isKept]) => db !== 0 || isKept);
  return [
    make("div", { className: "soft", textContent: "trimmed slowly, scene by scene" }),
    ...shown.map(([start, db, isKept]) =>
      make(
        "div",
        { className: "trim-line" },
        make("span", {
          className: "mono",
          textContent: `from ${clock(start)}${isKept ? " ■" : ""}`,
          title: isKept ? "Set by hand: it stays" : "Made by the first balance",
        }),
        numberField(`Trim from ${clock(start)}, dB`, db, (text) => set(start, text), "dB"),
        db === 0
          ? make("span", { className: "soft", textContent: "as it came" })
          : button("as it came", () => set(start, "0"), {
              className: "quiet",
              title: `Takes the ${gainText(db)} dB back; a later first balance leaves it so`,
            }),
      ),
    ),
  ];
}
