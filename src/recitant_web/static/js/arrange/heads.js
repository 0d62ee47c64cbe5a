// The heads of the tracks: name, role, mute and solo, height. Plain elements beside the canvas.

import { RULER } from "./scale.js";
import { layoutRows } from "./scene.js";

export function showHeads(box, model, scrollTop, actions) {
  const { rows } = layoutRows(model);
  const focused = document.activeElement?.dataset?.key;
  box.replaceChildren(...rows.map((row) => head(row, model, actions)));
  moveHeads(box, scrollTop);
  if (focused) box.querySelector(`[data-key="${focused}"]`)?.focus();
}

export function moveHeads(box, scrollTop) {
  box.style.transform = `translateY(${RULER - scrollTop}px)`;
}

function head({ track, top, height, index }, model, actions) {
  const element = document.createElement("div");
  element.className = `track-head ${track.role}${track.id === model.track ? " is-chosen" : ""}${height < 46 ? " is-low" : ""}`;
  element.style.top = `${top}px`;
  element.style.height = `${height}px`;
  // Not from its buttons and fields: showing the choice would take them away under the pointer.
  element.addEventListener("pointerdown", (event) => {
    if (!event.target.closest("button, input, .grip")) actions.setTrack(track.id);
  });

  const letter = document.createElement("button");
  Object.assign(letter, {
    type: "button",
    className: "letter",
    textContent: track.role[0].toUpperCase(),
    title: `${track.role}: press for the next role`,
  });
  letter.dataset.key = `${track.id}-role`;
  letter.setAttribute("aria-label", `Role of ${track.name}: ${track.role}`);
  letter.addEventListener("click", () => actions.nextRole(track.id));

  const name = document.createElement("input");
  Object.assign(name, { className: "track-name", value: track.name, title: track.name });
  name.setAttribute("aria-label", `Name of track ${index + 1}`);
  name.dataset.key = `${track.id}-name`;
  name.addEventListener("change", () => actions.edit({ kind: "track-set", id: track.id, name: name.value }));
  name.addEventListener("keydown", (event) => {
    if (event.key === "Enter" || event.key === "Escape") name.blur();
  });

  const hear = document.createElement("span");
  hear.className = "hear";
  for (const [set, text, title] of [
    [model.muted, "mute", "Leave this track out of what you hear. The mix keeps it."],
    [model.soloed, "solo", "Hear this track alone. The mix keeps the others."],
  ]) {
    const button = document.createElement("button");
    Object.assign(button, { type: "button", className: "toggle", textContent: text, title });
    button.dataset.key = `${track.id}-${text}`;
    button.setAttribute("aria-pressed", String(set.has(track.id)));
    button.addEventListener("click", () => actions.toggleHeard(set, track.id));
    hear.append(button);
  }
  const width = document.createElement("button");
  Object.assign(width, {
    type: "button",
    className: "toggle",
    textContent: track.is_mono ? "mono" : "stereo",
    title: "Mono gives both loudspeakers the sum",
  });
  width.dataset.key = `${track.id}-width`;
  width.setAttribute("aria-pressed", String(track.is_mono));
  width.addEventListener("click", () => actions.toggleWidth(track.id));
  hear.append(width);
  const menu = document.createElement("span");
  menu.className = "track-menu";
  for (const [text, label, action] of [
    ["↑", "Move this track up", () => actions.moveTrack(track.id, -1)],
    ["↓", "Move this track down", () => actions.moveTrack(track.id, 1)],
    ["×", "Remove this track and its clips", () => actions.edit({ kind: "track-remove", id: track.id })],
  ]) {
    const button = document.createElement("button");
    Object.assign(button, { type: "button", className: "quiet", textContent: text, title: label });
    button.setAttribute("aria-label", `${label}: ${track.name}`);
    button.addEventListener("click", action);
    menu.append(button);
  }
  const grip = document.createElement("div");
  grip.className = "grip";
  grip.title = "Drag: height";
  grip.addEventListener("pointerdown", (event) => {
    grip.setPointerCapture(event.pointerId);
    const from = event.clientY;
    const was = height;
    grip.onpointermove = (move) =>
      actions.previewHeight(track.id, Math.min(240, Math.max(28, was + move.clientY - from)));
    grip.onpointerup = (up) => {
      grip.onpointermove = null;
      actions.keepHeight(track.id, Math.min(240, Math.max(28, was + up.clientY - from)));
    };
  });
  element.append(letter, name, hear, menu, grip);
  return element;
}
