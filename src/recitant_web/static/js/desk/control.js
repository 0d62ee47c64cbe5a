// Pointer and keys to intentions. Knows what a gesture means; leaves to view.js what then happens.

import { GUTTER_WIDTH, hitTest, RULER_HEIGHT, sampleAt } from "./layout.js";

const CLICK_PX = 3;

export function bindScore(canvas, { model, score, actions }) {
  let grabbed = null;

  canvas.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    canvas.setPointerCapture(event.pointerId);
    const hit = hitTest(score(), event.offsetX, event.offsetY);
    grabbed = { hit, y: event.clientY, hasMoved: false };
    if (hit.kind === "ruler") actions.seek(sampleAt(event.offsetX, model().view, score().width));
    if (hit.kind === "clip") actions.select(hit.clip.id);
  });

  canvas.addEventListener("pointermove", (event) => {
    if (!grabbed) { canvas.style.cursor = cursorFor(hitTest(score(), event.offsetX, event.offsetY)); return; }
    const { hit } = grabbed;
    if (hit.kind === "ruler") { actions.seek(sampleAt(event.offsetX, model().view, score().width)); return; }
    const movedPx = grabbed.y - event.clientY;
    if (Math.abs(movedPx) > CLICK_PX) grabbed.hasMoved = true;
    if (!grabbed.hasMoved || (hit.kind !== "clip" && hit.kind !== "stem")) return;
    const fine = event.shiftKey ? 0.2 : 1;
    const deltaDb = Math.round((movedPx * fine * 10) / hit.row.pxPerDb) / 10;
    if (hit.kind === "clip") actions.drag({ target: "clip", id: hit.clip.id, deltaDb });
    else actions.drag({ target: "stem", id: hit.row.role, deltaDb });
  });

  canvas.addEventListener("pointerup", (event) => {
    if (!grabbed) return;
    const { hit, hasMoved } = grabbed;
    grabbed = null;
    if (hasMoved) actions.drop();
    else if (hit.kind !== "ruler" && event.offsetX > GUTTER_WIDTH && event.offsetY > RULER_HEIGHT) {
      actions.seek(sampleAt(event.offsetX, model().view, score().width));
    }
  });

  canvas.addEventListener("pointercancel", () => { grabbed = null; actions.cancelDrag(); });

  canvas.addEventListener("wheel", (event) => {
    const { view } = model();
    if (event.ctrlKey || event.altKey) {
      event.preventDefault();
      actions.zoom(event.deltaY > 0 ? 1.25 : 0.8, sampleAt(event.offsetX, view, score().width));
    } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      event.preventDefault();
      actions.scroll(((event.deltaX || event.deltaY) / score().width) * (view.end - view.start));
    }
  }, { passive: false });
}

export function bindHorizon(canvas, { horizon, actions }) {
  let grabbed = null;
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    const [left, right] = horizon().window;
    const isWhole = right - left >= horizon().right - 122;
    if (isWhole) { actions.seek(horizon().sampleAt(event.offsetX)); return; }
    grabbed = { x: event.offsetX };
    if (event.offsetX < left || event.offsetX > right) actions.centre(horizon().sampleAt(event.offsetX));
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!grabbed) return;
    actions.scroll(horizon().sampleAt(event.offsetX) - horizon().sampleAt(grabbed.x));
    grabbed.x = event.offsetX;
  });
  canvas.addEventListener("pointerup", () => { grabbed = null; });
}

export function bindKeys(actions) {
  document.addEventListener("keydown", (event) => {
    if (event.target.matches("input, select, textarea")) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      (event.shiftKey ? actions.redo : actions.undo)();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === " " && event.target.matches("button, summary, a")) return;
    const moves = {
      " ": actions.playOrStop,
      "[": () => actions.selectNeighbour(-1),
      "]": () => actions.selectNeighbour(1),
      ArrowUp: () => actions.nudge(event.shiftKey ? 0.1 : 0.5),
      ArrowDown: () => actions.nudge(event.shiftKey ? -0.1 : -0.5),
      ",": () => actions.step(-1),
      "<": () => actions.step(-10),
      ".": () => actions.step(1),
      ">": () => actions.step(10),
      "-": () => actions.zoom(1.5),
      "=": () => actions.zoom(1 / 1.5),
      "+": () => actions.zoom(1 / 1.5),
      "0": actions.whole,
      g: actions.typeGain,
    };
    const move = moves[event.key];
    if (!move) return;
    event.preventDefault();
    move();
  });
}

function cursorFor(hit) {
  return { ruler: "col-resize", clip: "ns-resize", stem: "ns-resize" }[hit.kind] || "default";
}
