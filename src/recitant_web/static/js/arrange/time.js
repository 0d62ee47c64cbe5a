// Time as a whole: gaps closed and opened, stretches taken out, and what the programme counts in. And the list of tracks that
// chosen clips can be put on.

import { button as plainButton, make } from "../lib/dom.js";
import { check, choice, numberOf, row } from "../lib/fields.js";
import { labelOf, letterOf, ROLES } from "../lib/roles.js";
import { RATE_HZ } from "../lib/units.js";

const button = (text, action, properties = {}) => plainButton(text, action, { className: "act", ...properties });

export function newTimeActions({ model, player, edit, say }) {
  // Which tracks a change of time is about: all (null), those of chosen clips, or the chosen track.
  const tracksOf = (where) => {
    if (where === "all") return null;
    const chosen = [...model.selected].map((id) => model.clips.get(id)?.track).filter(Boolean);
    return where === "clips" && chosen.length ? [...new Set(chosen)] : [model.track];
  };
  const about = () => ({ track_ids: tracksOf(model.time.where), leaves_picture: model.time.leavesPicture });
  const actions = {
    closeGap: ({ everywhere = null } = {}) =>
      edit({
        kind: "close-gap",
        at_sample: player.position(),
        ...(everywhere === null ? about() : { ...about(), track_ids: everywhere ? null : [model.track] }),
      }),
    openGap: (text) => {
      const length = Math.round(numberOf(text) * RATE_HZ);
      if (!(length > 0)) say("Give the length of the gap in seconds.");
      else edit({ kind: "open-gap", at_sample: player.position(), length_samples: length, ...about() });
    },
    takeOut: () => {
      if (!model.range) say("Set a range first: i and o, or shift and drag on the ruler.");
      else edit({ kind: "take-out", from_sample: model.range[0], to_sample: model.range[1], ...about() });
    },
    setProgramme: (fields) => edit({ kind: "programme-set", ...fields }),
  };
  return actions;
}

export function showTime(box, model, actions) {
  const { state } = model;
  const length = make("input", { className: "gain mono", value: "1.0" });
  length.setAttribute("aria-label", "Length of the gap, s");
  box.replaceChildren(
    make("h2", { textContent: "Gaps" }),
    row(
      "on",
      choice(
        "On which tracks",
        [
          ["all", "all tracks"],
          ["clips", "the tracks of the chosen clips"],
          ["track", "the chosen track"],
        ],
        model.time.where,
        (where) => {
          model.time.where = where;
        },
      ),
    ),
    ...(state.picture
      ? [
          check("leave the picture where it is", model.time.leavesPicture, (isOn) => {
            model.time.leavesPicture = isOn;
          }),
        ]
      : []),
    make(
      "p",
      { className: "row" },
      button("Close the gap here", () => actions.closeGap(), { title: "q on all tracks" }),
      button("Take the range out", () => actions.takeOut()),
    ),
    make(
      "p",
      { className: "row" },
      button("Open a gap here of", () => actions.openGap(length.value)),
      length,
      make("span", { className: "soft", textContent: "s" }),
    ),
    make("p", {
      className: "soft",
      textContent: "On all tracks, markers and rides move along. What lies over an edge is cut.",
    }),
    make("h2", { textContent: "Programme" }),
    ...programmeRows(state, actions),
  );
}

function programmeRows(state, actions) {
  const title = make("input", { className: "gain wide", value: state.title });
  title.addEventListener("change", () => actions.setProgramme({ title: title.value }));
  const rows = [
    row("title", title),
    row(
      "frames a second",
      choice(
        "Frame rate",
        state.frame_rates.map((rate) => [rate, rate]),
        state.frame_rate,
        (rate) => actions.setProgramme({ frame_rate: rate }),
      ),
    ),
  ];
  const { picture } = state;
  if (picture) {
    const offset = make("input", {
      className: "gain mono",
      value: (state.picture_offset_samples / RATE_HZ).toFixed(3).replace("-", "−"),
    });
    offset.addEventListener("change", () =>
      actions.setProgramme({ picture_offset_samples: Math.round(numberOf(offset.value) * RATE_HZ) }),
    );
    rows.push(row("picture begins at, s", offset));
    if (picture.frame_rate && picture.frame_rate !== state.frame_rate)
      rows.push(
        make(
          "p",
          { className: "row" },
          make("span", { className: "soft", textContent: `The picture runs at ${picture.frame_rate}.` }),
          button("Use the picture's rate", () => actions.setProgramme({ frame_rate: picture.frame_rate })),
        ),
      );
  }
  return rows;
}

// A number picks the track at once where no longer one begins with it; else with Enter, or from the list.
export function bindTrackList(dialog, { model, actions, say }) {
  const input = dialog.querySelector("input");
  const list = dialog.querySelector("ol");
  const pick = (track) => {
    dialog.close();
    actions.putOn(track.id);
  };
  const numbered = () => model.state.tracks.map((track, index) => ({ track, number: String(index + 1) }));
  input.addEventListener("input", () => {
    const wanted = input.value.trim();
    const found = numbered().filter(({ number }) => number.startsWith(wanted));
    if (wanted && found.length === 1 && found[0].number === wanted) pick(found[0].track);
  });
  input.addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    const found = numbered().find(({ number }) => number === input.value.trim());
    if (found) pick(found.track);
  });
  return () => {
    if (!model.selected.size) {
      say("Choose a clip first: [ and ] go through them.");
      return;
    }
    input.value = "";
    list.replaceChildren(
      ...numbered().map(({ track, number }) =>
        make(
          "li",
          {},
          plainButton(`${number}  ${letterOf(track.role)}  ${track.name}`, () => pick(track), { className: "quiet" }),
        ),
      ),
    );
    dialog.querySelector(".row").replaceChildren(
      make("span", { className: "soft", textContent: "or a new one:" }),
      ...ROLES.map((role) =>
        plainButton(
          labelOf(role).toLowerCase(),
          () => {
            dialog.close();
            actions.putOnNew(role);
          },
          { className: "act" },
        ),
      ),
    );
    dialog.showModal();
    input.focus();
  };
}
