// The heads of the tracks: name, role, what is heard, what is in the mix. Plain elements beside the canvas; a head is dragged
// to another place by its letter, and has two tab stops: its name and its row of buttons.

import { make } from "../lib/dom.js";
import { asToolbar, menuButton } from "../lib/menu.js";
import { isSpeech, kindOf, labelOf, letterOf, ROLES } from "../lib/roles.js";
import { RULER } from "./scale.js";
import { layoutRows } from "./scene.js";

const DRAG_PX = 4;
const SHADES = ["own colour", "lighter", "darker", "greyer"];

export function showHeads(box, model, scrollTop, actions) {
  const { rows } = layoutRows(model);
  const focused = document.activeElement?.dataset?.key;
  box.replaceChildren(...rows.map((row) => head(row, rows, model, actions)));
  moveHeads(box, scrollTop);
  if (focused) box.querySelector(`[data-key="${focused}"]`)?.focus();
}

export function moveHeads(box, scrollTop) {
  box.style.transform = `translateY(${RULER - scrollTop}px)`;
}

function head({ track, top, height, index }, rows, model, actions) {
  const names = [
    "track-head",
    kindOf(track.role),
    track.id === model.track && "is-chosen",
    height < 46 && "is-low",
    track.is_out && "is-out",
    track.shade && `shade-${track.shade}`,
  ];
  const element = make("div", { className: names.filter(Boolean).join(" ") });
  element.style.top = `${top}px`;
  element.style.height = `${height}px`;
  // Not from its buttons and fields: showing the choice would take them away under the pointer.
  element.addEventListener("pointerdown", (event) => {
    if (!event.target.closest("button, input, .grip")) actions.setTrack(track.id);
  });
  element.append(
    nameOf(track, index, actions),
    toolsOf(track, index, rows, element, model, actions),
    grip(track, height, actions),
  );
  return element;
}

function nameOf(track, index, actions) {
  const name = make("input", { className: "track-name", value: track.name, title: track.name });
  name.setAttribute("aria-label", `Name of track ${index + 1}`);
  name.dataset.key = `${track.id}-name`;
  name.addEventListener("change", () => actions.edit({ kind: "track-set", id: track.id, name: name.value }));
  name.addEventListener("keydown", (event) => {
    if (event.key === "Enter" || event.key === "Escape") name.blur();
  });
  return name;
}

function toolsOf(track, index, rows, element, model, actions) {
  const tools = make("span", { className: "hear" });
  const letter = make("button", { type: "button", className: "letter", textContent: letterOf(track.role) });
  letter.title = `${labelOf(track.role)}. Press for the next role, drag to another place`;
  letter.dataset.key = `${track.id}-role`;
  letter.setAttribute("aria-label", `Track ${index + 1}, role of ${track.name}: ${labelOf(track.role)}`);
  bindOrder(letter, element, index, rows, actions, () => actions.nextRole(track.id));
  tools.append(letter);
  const toggle = (text, key, isOn, title, action) => {
    const button = make("button", { type: "button", className: `toggle ${key}`, textContent: text, title });
    button.dataset.key = `${track.id}-${key}`;
    button.setAttribute("aria-pressed", String(isOn));
    button.setAttribute("aria-label", `${text}: ${track.name}. ${title}`);
    button.addEventListener("click", action);
    tools.append(button);
  };
  toggle("mute", "mute", model.muted.has(track.id), "Leave this track out of what you hear. The mix keeps it.", () =>
    actions.toggleHeard(model.muted, track.id),
  );
  toggle("solo", "solo", model.soloed.has(track.id), "Hear this track alone. The mix keeps the others.", () =>
    actions.toggleHeard(model.soloed, track.id),
  );
  toggle("out", "out", track.is_out, "Out of the mix: it stays here and goes into no file. Solo still plays it.", () =>
    actions.trackOut(track.id),
  );
  tools.append(menuOf(track, index, rows, actions));
  asToolbar(tools, `Track ${index + 1}, ${track.name}`);
  return tools;
}

function menuOf(track, index, rows, actions) {
  const above = rows[index - 1]?.track;
  return menuButton(
    "⋯",
    `More for track ${track.name}`,
    () => [
      ...ROLES.map((role) => [
        `${role === track.role ? "✓ " : ""}${letterOf(role)}  ${labelOf(role).toLowerCase()}`,
        () => actions.edit({ kind: "track-set", id: track.id, role }),
      ]),
      null,
      ...SHADES.map((words, shade) => [
        `${shade === track.shade ? "✓ " : ""}${words}`,
        () => actions.edit({ kind: "track-set", id: track.id, shade }),
      ]),
      null,
      [track.is_mono ? "Both sides apart (stereo)" : "Both sides summed (mono)", () => actions.toggleWidth(track.id)],
      ["Move up", () => actions.moveTrack(track.id, -1), { disabled: !above }],
      ["Move down", () => actions.moveTrack(track.id, 1), { disabled: index === rows.length - 1 }],
      [
        above ? `Merge into ${above.name.slice(0, 24)}` : "Merge into the one above",
        () => actions.edit({ kind: "track-merge", ids: [track.id], into_id: above.id }),
        { disabled: !above },
      ],
      ["Room tone under its cuts", () => actions.fillTrack(track.id), { disabled: !isSpeech(track.role) }],
      ["Choose its clips", () => actions.selectTrackOf(track.id)],
      ["Remove with its clips", () => actions.edit({ kind: "track-remove", id: track.id })],
    ],
    { className: "quiet more" },
  );
}

// A press is a press; a drag by more than a few pixels takes the track to the place where it is let go.
function bindOrder(letter, element, index, rows, actions, press) {
  letter.addEventListener("pointerdown", (event) => {
    letter.setPointerCapture(event.pointerId);
    const from = event.clientY;
    let to = index;
    let isDragged = false;
    letter.onpointermove = (move) => {
      const by = move.clientY - from;
      isDragged ||= Math.abs(by) > DRAG_PX;
      if (!isDragged) return;
      element.classList.add("is-dragged");
      element.style.transform = `translateY(${by}px)`;
      const middle = rows[index].top + rows[index].height / 2 + by;
      to = rows.filter((row, at) => at !== index && row.top + row.height / 2 < middle).length;
    };
    letter.onpointerup = () => {
      letter.onpointermove = letter.onpointerup = null;
      letter.dataset.wasDragged = isDragged ? "1" : "";
      if (isDragged) actions.orderTrack(rows[index].track.id, rows[to].track.id);
    };
  });
  letter.addEventListener("click", () => {
    if (!letter.dataset.wasDragged) press();
    letter.dataset.wasDragged = "";
  });
}

function grip(track, height, actions) {
  const element = make("div", { className: "grip", title: "Drag: height" });
  const bounded = (px) => Math.min(240, Math.max(28, px));
  element.addEventListener("pointerdown", (event) => {
    element.setPointerCapture(event.pointerId);
    const from = event.clientY;
    element.onpointermove = (move) => actions.previewHeight(track.id, bounded(height + move.clientY - from));
    element.onpointerup = (up) => {
      element.onpointermove = null;
      actions.keepHeight(track.id, bounded(height + up.clientY - from));
    };
  });
  return element;
}
