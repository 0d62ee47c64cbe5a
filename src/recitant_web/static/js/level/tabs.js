// The processors of a chain as tabs in their order: chosen by a press, moved by a drag or by alt and the arrow keys.

import { button, make } from "../lib/dom.js";
import { kindOf } from "./model.js";

const STAGES = { repair: "repair", tone: "tone", dynamics: "dynamics", space: "space" };
const DRAG_PX = 6;

// choose(index): a tab was pressed; move(from, to): a processor goes to another place. Tabs that would look the same stay:
// figures that arrive meanwhile take neither the focus nor a drag away.
export function showTabs(box, { model, chain, choose, move, add }) {
  const shown = JSON.stringify([model.index, chain.map((processor) => [processor.kind, processor.is_bypassed])]);
  if (box.dataset.shown === shown) return;
  box.dataset.shown = shown;
  const tabs = chain.map((processor, index) => {
    const kind = kindOf(model, processor.kind);
    const tab = button("", () => choose(index), {
      className: "proc",
      title: "Drag it, or alt and the arrow keys, to another place in the chain",
    });
    tab.append(make("small", { textContent: STAGES[kind.stage] }), make("span", { textContent: kind.label }));
    tab.ariaPressed = String(index === model.index);
    tab.classList.toggle("is-off", Boolean(processor.is_bypassed));
    tab.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!by || !event.altKey) return;
      event.preventDefault();
      event.stopPropagation();
      move(index, index + by);
    });
    return tab;
  });
  tabs.forEach((tab, index) => bindDrag(tab, index, tabs, move));
  box.replaceChildren(...tabs, addSelect(model, add));
}

function addSelect(model, add) {
  const select = make("select", { className: "proc-add" }, make("option", { value: "", textContent: "+ add" }));
  select.ariaLabel = "Add a processor";
  for (const stage of Object.keys(STAGES)) {
    const kinds = model.page.kinds.filter((kind) => kind.stage === stage);
    const options = kinds.map((kind) => make("option", { value: kind.kind, textContent: kind.label }));
    select.append(make("optgroup", { label: stage }, ...options));
  }
  select.addEventListener("change", () => {
    const kind = select.value;
    select.value = "";
    select.blur(); // so that keys go to the new processor, not to this list
    if (kind) add(kind);
  });
  return select;
}

function bindDrag(tab, from, tabs, move) {
  let start = null;
  let isDragged = false;
  const placeAt = (x, y) => {
    const found = tabs.findIndex((other) => {
      const box = other.getBoundingClientRect();
      return x >= box.left && x <= box.right && y >= box.top && y <= box.bottom;
    });
    return found < 0 ? null : found;
  };
  const mark = (to) => tabs.forEach((other, i) => other.classList.toggle("is-target", i === to && i !== from));
  tab.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    start = [event.clientX, event.clientY];
    isDragged = false;
    tab.setPointerCapture(event.pointerId);
  });
  tab.addEventListener("pointermove", (event) => {
    if (!start) return;
    if (Math.hypot(event.clientX - start[0], event.clientY - start[1]) > DRAG_PX) isDragged = true;
    if (isDragged) mark(placeAt(event.clientX, event.clientY));
  });
  tab.addEventListener("pointerup", (event) => {
    const to = isDragged ? placeAt(event.clientX, event.clientY) : null;
    start = null;
    mark(null);
    if (to !== null && to !== from) move(from, to);
  });
  // A drag is no press.
  tab.addEventListener(
    "click",
    (event) => {
      if (isDragged) event.stopImmediatePropagation();
      isDragged = false;
    },
    true,
  );
}
