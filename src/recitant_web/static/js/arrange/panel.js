// The explanation at the right as text and inputs: the chosen clips, markers, history. All that the canvas shows is here too.

import { button as plainButton, make } from "../lib/dom.js";
import { RATE_HZ, gainText, timecode } from "../lib/units.js";
import { crossfadesOf, inOrder } from "./model.js";
import { groupRow, outRow, SHAPES, showSeveral, aloneRow } from "./several.js";
import { takesBox } from "./takes.js";

const TABLE_ROWS = 200;

const button = (text, action, properties = {}) => plainButton(text, action, { className: "act", ...properties });

function field(label, value, onChange, properties = {}) {
  const input = make("input", { className: "gain mono wide", value, ...properties });
  input.addEventListener("change", () => onChange(input.value));
  input.addEventListener("keydown", (event) => {
    if (event.key === "Enter") input.blur();
    if (event.key === "Escape") {
      input.value = value;
      input.blur();
    }
  });
  return make("label", { className: "field" }, make("span", { textContent: label }), input);
}

function choice(label, value, options, onChange) {
  const select = make(
    "select",
    { className: "plain-select" },
    ...options.map(([v, text]) => make("option", { value: v, textContent: text, selected: v === value })),
  );
  select.addEventListener("change", () => onChange(select.value));
  return make("label", { className: "field" }, make("span", { textContent: label }), select);
}

const ROUTINGS = { first: "left only", second: "right only", sum: "mono", swapped: "sides swapped" };

export function showClip(box, model, actions) {
  const clips = [...model.selected].map((id) => model.clips.get(id));
  box.replaceChildren();
  if (!clips.length) {
    box.append(
      make("p", {
        className: "soft",
        textContent: "Choose a clip, or several: what can be done with them stands here.",
      }),
    );
    return;
  }
  const ids = clips.map((clip) => clip.id);
  const clip = clips[0];
  if (clips.length > 1) {
    showSeveral(box, clips, model, actions);
    return;
  }
  const rate = model.state.frame_rate;
  const source = model.state.sources[clip.source];
  const seconds = (samples) => (samples / RATE_HZ).toFixed(3);
  const samplesOf = (text) => Math.round(Number(text.replace(",", ".").replace("s", "")) * RATE_HZ);
  box.append(
    make("h2", { textContent: clip.name }),
    takesBox(clip, model, actions),
    field("name", clip.name, (name) => actions.edit({ kind: "name", ids, name })),
    field("begins", timecode(clip.start, rate), (text) => actions.placeAt(ids, text)),
    field("length, s", seconds(clip.length), (text) => actions.setLength(clip, samplesOf(text))),
    field("gain, dB", gainText(clip.gain_db), (text) => actions.setGain(clip, text)),
    field("fade in, s", seconds(clip.fade_in[0]), (text) =>
      actions.edit({ kind: "fade", ids, edge: "in", length_samples: samplesOf(text) }),
    ),
    choice("shape", clip.fade_in[1], SHAPES, (shape) =>
      actions.edit({ kind: "fade", ids, edge: "in", length_samples: clip.fade_in[0], shape }),
    ),
    field("fade out, s", seconds(clip.fade_out[0]), (text) =>
      actions.edit({ kind: "fade", ids, edge: "out", length_samples: samplesOf(text) }),
    ),
    choice("shape", clip.fade_out[1], SHAPES, (shape) =>
      actions.edit({ kind: "fade", ids, edge: "out", length_samples: clip.fade_out[0], shape }),
    ),
  );
  for (const [earlier, later] of crossfadesOf(model, clip)) {
    const name = earlier.id === clip.id ? later.name : earlier.name;
    box.append(
      choice(`cross-fade with ${name}`, later.fade_in[1], SHAPES, (shape) =>
        actions.edit({ kind: "crossfade", id: earlier.id, to_id: later.id, shape }),
      ),
    );
  }
  const notes = [`from ${seconds(clip.in)} s of ${source ? source.name : "its recording"}`];
  if (clip.routing) notes.push(ROUTINGS[clip.routing]);
  if (clip.mended?.length) notes.push(`mended: ${clip.mended.join(", ")}`);
  box.append(
    make("p", { className: "soft", textContent: notes.join(" · ") }),
    syncRow(clip, model, actions),
    outRow(clips, actions),
    groupRow(clips, ids, actions),
    curveTable(clip, actions),
    varyRow(clip, actions),
    lengthRow(clip, model, actions),
    aloneRow(ids, actions),
  );
  if (source?.reference_samples !== null && source?.reference_samples !== undefined) {
    box.append(button("Put where its timecode says", () => actions.placeByReference(clip, source)));
  }
}

// Whether a clip is tied to the picture, and the way back where it lies off.
function syncRow(clip, model, actions) {
  const row = make("p", { className: "row" });
  const ids = [clip.id];
  if (clip.sync === undefined) {
    row.hidden = !model.state.picture;
    row.append(button("Tie to picture", () => actions.edit({ kind: "tie", ids })));
    return row;
  }
  if (clip.sync) {
    row.append(
      make("span", { className: "over", textContent: `▲ ${clip.sync} against the picture` }),
      button("Back in sync", () => actions.edit({ kind: "back-in-sync", ids }), { className: "act go" }),
    );
  } else row.append(make("span", { className: "soft", textContent: "Tied to the picture, in sync" }));
  row.append(button("Untie", () => actions.edit({ kind: "tie", ids, is_tied: false })));
  return row;
}

function curveTable(clip, actions) {
  const points = clip.curve || [];
  const details = make(
    "details",
    { open: points.length > 0 },
    make("summary", {
      className: "soft",
      textContent: points.length ? `Gain curve, ${points.length} points` : "Gain curve: none",
    }),
  );
  const body = make("tbody");
  points.forEach(([at, db], index) => {
    const place = make("input", { className: "gain mono", value: (at / RATE_HZ).toFixed(3) });
    const gain = make("input", { className: "gain mono", value: gainText(db) });
    place.setAttribute("aria-label", `Point ${index + 1}, seconds from the clip's start`);
    gain.setAttribute("aria-label", `Point ${index + 1}, dB`);
    const send = () =>
      actions.edit({
        kind: "point",
        id: clip.id,
        index,
        at_sample: Math.round(Number(place.value.replace(",", ".")) * RATE_HZ),
        gain_db: gain.value,
      });
    place.addEventListener("change", send);
    gain.addEventListener("change", send);
    const remove = button("×", () => actions.removePoint(clip.id, index), { className: "quiet" });
    remove.setAttribute("aria-label", `Remove point ${index + 1}`);
    body.append(make("tr", {}, make("td", {}, place), make("td", {}, gain), make("td", { className: "n" }, remove)));
  });
  details.append(
    make("table", { className: "plain" }, body),
    make(
      "p",
      { className: "row" },
      button("Add at playhead", () => actions.addPoint(clip)),
      button("Copy", () => actions.copyCurve(clip), { disabled: !points.length }),
      button("Paste", () => actions.pasteCurve(clip)),
      button("Clear range", () => actions.clearCurve(clip), { disabled: !points.length }),
      button("Clear", () => actions.edit({ kind: "curve", ids: [clip.id], points: [] }), { disabled: !points.length }),
    ),
  );
  return details;
}

function varyRow(clip, actions) {
  const speed = make("input", { className: "gain mono", value: "100" });
  const pitch = make("input", { className: "gain mono", value: "0" });
  const keeps = make("input", { type: "checkbox", checked: true });
  speed.setAttribute("aria-label", "Speed, percent");
  pitch.setAttribute("aria-label", "Pitch, semitones");
  return make(
    "details",
    {},
    make("summary", { className: "soft", textContent: "Speed and pitch" }),
    make(
      "p",
      { className: "row" },
      make("span", { textContent: "speed, %" }),
      speed,
      make("span", { textContent: "pitch, semitones" }),
      pitch,
    ),
    make(
      "p",
      { className: "row" },
      make("label", {}, keeps, " keep the pitch when the speed changes"),
      button("Apply", () =>
        actions.vary(clip, Number(speed.value.replace(",", ".")) / 100, keeps.checked, pitch.value),
      ),
    ),
  );
}

function lengthRow(clip, model, actions) {
  const row = make("p", { className: "row" });
  if (model.state.tracks.find((track) => track.id === clip.track)?.role.startsWith("music")) {
    row.append(
      make("span", { className: "soft", textContent: "bring to length:" }),
      button("to the playhead", () => actions.extendTo(clip, "playhead")),
      button("to the end", () => actions.extendTo(clip, "end")),
    );
  }
  return row;
}

export function showMarkers(box, model, actions) {
  const rate = model.state.frame_rate;
  const body = make("tbody");
  for (const marker of model.state.markers) {
    const text = make("input", { className: "track-name", value: marker.text, placeholder: marker.kind });
    text.setAttribute("aria-label", `Text of the marker at ${timecode(marker.at_sample, rate)}`);
    text.addEventListener("change", () => actions.edit({ kind: "marker-set", id: marker.id, text: text.value }));
    const go = button(timecode(marker.at_sample, rate), () => actions.seek(marker.at_sample), {
      className: "quiet mono",
    });
    const kind = choice(
      "",
      marker.kind,
      [
        ["note", "note"],
        ["chapter", "chapter"],
        ["sync", "sync"],
      ],
      (value) => actions.edit({ kind: "marker-set", id: marker.id, marker: value }),
    );
    const remove = button("×", () => actions.edit({ kind: "marker-remove", id: marker.id }), { className: "quiet" });
    remove.setAttribute("aria-label", `Remove marker ${marker.text || marker.kind}`);
    body.append(make("tr", {}, make("td", {}, go), make("td", {}, text), make("td", {}, kind), make("td", {}, remove)));
  }
  box.replaceChildren(
    make(
      "p",
      { className: "row" },
      button("Note here", () => actions.mark("note")),
      button("Chapter here", () => actions.mark("chapter")),
      button("Sync point here", () => actions.mark("sync")),
    ),
    model.state.markers.length
      ? make("table", { className: "plain" }, body)
      : make("p", { className: "soft", textContent: "No markers yet." }),
  );
}

export async function showHistory(box, model, actions) {
  const found = await actions.askHistory();
  if (!found) return;
  const list = make("ol", { className: "history" });
  const current = found.steps.find((step) => step.is_in_force);
  for (const step of found.steps) {
    const item = button(step.label, () => actions.edit({ kind: "go-to", edit_id: step.id }), {
      className: `quiet${step.is_in_force ? "" : " is-undone"}${step === current ? " is-now" : ""}`,
    });
    list.append(make("li", {}, item));
  }
  const name = make("input", { className: "track-name", placeholder: "Name of a version" });
  name.setAttribute("aria-label", "Name of a version");
  const versions = make(
    "div",
    {},
    ...model.state.versions.map((version) =>
      make(
        "p",
        { className: "row" },
        make("b", { textContent: version.name }),
        button("Return to it", () => actions.edit({ kind: "version-return", id: version.id })),
      ),
    ),
  );
  box.replaceChildren(
    make("h2", { textContent: "Versions" }),
    versions,
    make(
      "p",
      { className: "row" },
      name,
      button("Keep this state", () => actions.edit({ kind: "version-save", name: name.value })),
    ),
    make("h2", { textContent: "Steps, the newest first" }),
    list,
  );
}

// The canvas as a table, for those who do not see it; the clips in view, up to two hundred, built while it is open.
export function showTable(body, model, actions) {
  if (!body.closest("details").open) return;
  const { start, end } = model.view;
  const tracks = new Map(model.state.tracks.map((track) => [track.id, track]));
  const shown = inOrder(model)
    .filter((clip) => clip.start < end && clip.start + clip.length > start)
    .slice(0, TABLE_ROWS);
  body.replaceChildren(
    ...shown.map((clip) => {
      const choose = button(clip.name, () => actions.select(clip.id), { className: "quiet" });
      choose.setAttribute("aria-pressed", String(model.selected.has(clip.id)));
      return make(
        "tr",
        {},
        make("td", {}, choose),
        make("td", { textContent: tracks.get(clip.track).name }),
        make("td", { className: "n mono", textContent: timecode(clip.start, model.state.frame_rate) }),
        make("td", { className: "n mono", textContent: (clip.length / RATE_HZ).toFixed(2) }),
      );
    }),
  );
}
