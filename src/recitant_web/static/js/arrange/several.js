// What can be done with several clips at once: gain, fades, groups, tracks, laying them out anew, lining two of them up.

import { button as plainButton, make } from "../lib/dom.js";
import { choice, numberOf, row } from "../lib/fields.js";
import { RATE_HZ } from "../lib/units.js";

const button = (text, action, properties = {}) => plainButton(text, action, { className: "act", ...properties });
export const SHAPES = [
  ["equal-power", "equal power"],
  ["equal-gain", "equal gain"],
  ["smooth", "smooth"],
  ["early", "up early"],
  ["late", "up late"],
];
const LAYINGS = [
  ["names", "in a row, a track for each name"],
  ["row", "in a row, on one track"],
  ["roles", "in a row, a track for each role"],
  ["times", "by the time of day they carry"],
];
const ORDERS = [
  ["name", "in order of their names"],
  ["time", "in order of their time of day"],
  ["chosen", "in the order they were chosen"],
];
const samplesOf = (text) => Math.round(numberOf(String(text).replace("s", "")) * RATE_HZ);

export function showSeveral(box, clips, model, actions) {
  const ids = clips.map((clip) => clip.id);
  box.append(
    make("h2", { textContent: `${clips.length} clips` }),
    levelRow(ids, actions),
    outRow(clips, actions),
    groupRow(clips, ids, actions),
    make(
      "p",
      { className: "row" },
      button("Put on a track…", () => actions.askTrack()),
      button("Hold as takes", () => actions.gatherTakes(), {
        title: "One clip for recordings of one place: the one chosen first sounds",
      }),
    ),
    fadesOf(clips, actions),
    layRow(actions),
    aloneRow(ids, actions),
  );
  if (clips.length === 2) box.append(alignRow(clips, model, actions));
}

function levelRow(ids, actions) {
  const input = make("input", { className: "gain mono", value: "+1.0" });
  input.setAttribute("aria-label", "Change of gain, dB");
  return make(
    "p",
    { className: "row" },
    make("span", { className: "soft", textContent: "change gain by" }),
    input,
    button("dB", () => actions.edit({ kind: "level", ids, by_db: input.value })),
  );
}

// The files of the delivery sheet, of the chosen clips alone.
export function aloneRow(ids, actions) {
  const words = ids.length > 1 ? "Hand these over alone" : "Hand it over alone";
  const title =
    "The files of the delivery sheet, at its loudness, with no other clips: from the first to the last of them";
  return make(
    "p",
    { className: "row" },
    button(words, () => actions.handOverAlone(ids), { title }),
  );
}

export function outRow(clips, actions) {
  const n = clips.filter((clip) => clip.is_out).length;
  const words = !n ? "in the mix" : n === clips.length ? "out of the mix: in no file" : `${n} out of the mix`;
  return make(
    "p",
    { className: "row" },
    make("span", { className: "soft", textContent: words }),
    button(clips[0].is_out ? "Back into the mix" : "Out of the mix", () => actions.toggleOut(), { title: "x" }),
  );
}

export function groupRow(clips, ids, actions) {
  const isGroup = clips.some((clip) => clip.group);
  const box = make("p", { className: "row" });
  if (clips.length > 1) {
    const name = make("input", { className: "gain wide", placeholder: "name, if it has one", maxLength: 32 });
    name.setAttribute("aria-label", "Name of the group");
    box.append(
      button("Group", () => actions.edit({ kind: "group", ids, is_grouped: true, name: name.value })),
      name,
    );
  }
  if (isGroup)
    box.append(
      make("span", { className: "soft", textContent: "moves and levels with its group" }),
      button("Ungroup", () => actions.ungroup(ids)),
    );
  return box;
}

// Fields of both fades: those of the first clip, for all that are chosen.
export function fadesOf(clips, actions) {
  const [clip] = clips;
  const lengths = ["fade_in", "fade_out"].map((edge) => {
    const input = make("input", { className: "gain mono", value: (clip[edge][0] / RATE_HZ).toFixed(3) });
    input.setAttribute("aria-label", `${edge === "fade_in" ? "Fade in" : "Fade out"} of all, s`);
    return input;
  });
  let shape = clip.fade_in[1];
  const fields = () => ({ in_samples: samplesOf(lengths[0].value), out_samples: samplesOf(lengths[1].value) });
  return make(
    "details",
    {},
    make("summary", { className: "soft", textContent: "Fades of all of them" }),
    row("in, s", lengths[0]),
    row("out, s", lengths[1]),
    row(
      "shape",
      choice("Shape of both fades", SHAPES, shape, (value) => {
        shape = value;
      }),
    ),
    make(
      "p",
      { className: "row" },
      button("Set", () => actions.fadesOf({ ...fields(), in_shape: shape, out_shape: shape })),
      button("Use for new clips", () => actions.edit({ kind: "programme-set", new_fades: { ...fields(), shape } })),
    ),
  );
}

function layRow(actions) {
  let [how, order] = ["names", "name"];
  return make(
    "details",
    {},
    make("summary", { className: "soft", textContent: "Lay them out", id: "lay-again" }),
    row(
      "",
      choice("How they are laid", LAYINGS, how, (value) => {
        how = value;
      }),
    ),
    row(
      "",
      choice("In which order", ORDERS, order, (value) => {
        order = value;
      }),
    ),
    make(
      "p",
      { className: "row" },
      button("Lay them", () => actions.layAgain(how, order)),
    ),
  );
}

function alignRow(clips, model, actions) {
  let [moves, stays] = clips;
  const box = make("div", { className: "align" });
  const said = make("p", { className: "soft" });
  said.setAttribute("aria-live", "polite");
  const offer = make("p", { className: "row" });
  const ask = () => {
    said.textContent = `${moves.name} would move, ${stays.name} stays where it is.`;
    offer.replaceChildren(
      button("by their sound", bySound),
      button("marker to marker", () => actions.alignMarkers(moves, stays, said)),
      button("Swap", () => {
        [moves, stays] = [stays, moves];
        ask();
      }),
    );
  };
  async function bySound() {
    said.textContent = "Listening to both.";
    const found = await actions.askAlignment(moves, stays);
    if (!found) {
      said.textContent = "Nothing was found.";
      return;
    }
    said.textContent = found.words;
    offer.replaceChildren(
      button(
        "Move it there",
        () => actions.edit({ kind: "move", ids: [moves.id], by_samples: found.by_samples, with_id: stays.id }),
        { className: found.is_sure ? "act go" : "act" },
      ),
      button("Swap", () => {
        [moves, stays] = [stays, moves];
        bySound();
      }),
      button("Leave it", ask),
    );
  }
  ask();
  box.append(said, offer);
  return box;
}
