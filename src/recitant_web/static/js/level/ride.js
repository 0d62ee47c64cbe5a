// A fader that can be ridden while it plays: what the hand did is recorded, thinned by the server, and undone as one step.

import { button, make } from "../lib/dom.js";
import { gainText, signed } from "../lib/units.js";
import { kindOf } from "../lib/roles.js";

const EVERY_MS = 40;
const MODES = [
  ["off", "fader only"],
  ["touch", "record while held"],
  ["latch", "record, then stay"],
  ["overwrite", "overwrite until stop"],
];

export function newRide({ box, model, player, hear, edit, say }) {
  let mode = "off";
  let isFirst = false;
  let hand = null; // { points, db, isHeld, timer }

  let isDragged = false; // a fader that is being dragged is not rebuilt
  const owner = () => {
    const { kind, id } = model.target;
    if (kind === "track") return { kind, one: model.state.tracks.find((t) => t.id === id) };
    if (kind === "stem") return { kind, one: model.state.stems.find((s) => s.id === id) };
    if (kind === "clip") {
      const row = model.state.clips.find((c) => c.id === id);
      return { kind: "track", one: row && model.state.tracks.find((t) => t.id === row.track_id) };
    }
    return { kind: "", one: null };
  };

  function sample() {
    if (!hand) return;
    if (!player.isPlaying) {
      finish();
      return;
    }
    hand.points.push([player.position(), hand.db]);
  }

  function begin(db) {
    const { kind, one } = owner();
    hand = { points: [], db, kind, id: one.id, timer: setInterval(sample, EVERY_MS), heard: 0 };
    sample();
  }

  async function finish() {
    if (!hand) return;
    const done = hand;
    hand = null;
    clearInterval(done.timer);
    hear.ride(null);
    if (done.points.length > 1) {
      await edit({
        kind: "ride",
        target: done.kind,
        id: done.id,
        mode,
        is_first: isFirst,
        points: done.points.map(([at, db]) => [Math.round(at), Math.round(db * 100) / 100]),
      });
    } else say("Nothing was recorded: play first, then move the fader.");
    show();
  }

  function show() {
    if (isDragged) return;
    const { kind, one } = owner();
    if (!one) {
      box.replaceChildren();
      return;
    }
    const has = one.ride && one.ride.points;
    if (has) isFirst = one.ride.is_first;
    const fader = make("input", {
      type: "range",
      min: -30,
      max: 12,
      step: 0.1,
      value: mode === "off" ? one.gain_db : 0,
    });
    fader.ariaLabel = mode === "off" ? `Fader of ${one.name}, dB` : `Ride of ${one.name}, dB about the fader`;
    fader.addEventListener("pointerdown", () => {
      isDragged = true;
      const letGo = () => {
        isDragged = false;
      };
      for (const ending of ["pointerup", "pointercancel"]) window.addEventListener(ending, letGo, { once: true });
    });
    const value = make("b", { className: "mono", textContent: `${gainText(Number(fader.value))} dB` });
    fader.addEventListener("input", () => {
      const db = Number(fader.value);
      value.textContent = `${gainText(db)} dB`;
      if (mode === "off") return;
      if (!player.isPlaying) {
        say("Play first: a ride is recorded while it sounds.");
        return;
      }
      if (!hand) begin(db);
      hand.db = db;
      hear.ride({ target: kind, id: one.id, gain_db: db });
      if (performance.now() - hand.heard > 250) {
        hand.heard = performance.now();
        player.refresh();
      }
    });
    fader.addEventListener("change", () => {
      if (mode === "off") edit({ kind: "gain", target: kind, id: one.id, gain_db: fader.value });
      else if (mode === "touch") finish();
    });
    const modes = make(
      "select",
      { className: "plain-select" },
      ...MODES.map(([name, words]) => make("option", { value: name, textContent: words, selected: name === mode })),
    );
    modes.ariaLabel = "What the fader does";
    modes.addEventListener("change", () => {
      mode = modes.value;
      show();
    });
    const places = make(
      "select",
      { className: "plain-select" },
      make("option", { value: "after", textContent: "after the processors", selected: !isFirst }),
      make("option", {
        value: "before",
        textContent: "before the processors: they hear the ridden level",
        selected: isFirst,
      }),
    );
    places.ariaLabel = "Where the ride comes";
    places.addEventListener("change", () => {
      isFirst = places.value === "before";
      if (has)
        edit({ kind: "ride", target: kind, id: one.id, mode: "set", is_first: isFirst, points: one.ride.points });
    });
    const row = make(
      "div",
      { className: "ride-row" },
      make("span", { className: `letter small ${kindOf(one.role)}`, textContent: one.letter }),
      make("b", { textContent: one.name }),
      fader,
      value,
    );
    const more = make("div", { className: "ride-row" }, modes, places);
    if (has) {
      const span = one.ride.points;
      more.append(
        make("span", {
          className: "soft",
          textContent: `${span.length} points, ${signed(Math.min(...span.map((p) => p[1])))} to ${signed(Math.max(...span.map((p) => p[1])))} dB`,
        }),
        button(
          "clear the ride",
          () => edit({ kind: "ride", target: kind, id: one.id, mode: "set", is_first: isFirst, points: [] }),
          { className: "quiet" },
        ),
      );
    }
    if (kind === "track") {
      const pan = make("input", { className: "gain mono", value: signed(one.pan * 100, 0) });
      pan.ariaLabel = "Pan, percent; minus is left";
      pan.addEventListener("change", () =>
        edit({
          kind: "track-set",
          id: one.id,
          pan: String(Number(pan.value.replace("−", "-").replace(",", ".")) / 100),
        }),
      );
      const mono = make("input", { type: "checkbox", checked: one.is_mono });
      mono.addEventListener("change", () => edit({ kind: "track-set", id: one.id, is_mono: mono.checked }));
      more.append(
        make(
          "label",
          { className: "with-unit" },
          make("span", { className: "soft", textContent: "pan" }),
          pan,
          make("small", { className: "soft", textContent: "%" }),
        ),
        make("label", { className: "tick" }, mono, make("span", { textContent: "mono" })),
      );
    }
    box.replaceChildren(row, more);
  }

  return {
    show,
    stopped: () => {
      if (hand) finish();
    },
  };
}
