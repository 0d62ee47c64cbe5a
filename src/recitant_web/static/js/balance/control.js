// Pointer to intentions. Knows what a gesture means; leaves to view.js what then happens.

import { GUTTER_WIDTH, RULER_HEIGHT, sampleAt } from "./scale.js";
import { hitTest } from "./score.js";

const CLICK_PX = 3;

export function bindScore(canvas, { model, score, actions }) {
  let grabbed = null;

  canvas.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    canvas.setPointerCapture(event.pointerId);
    const hit = hitTest(score(), event.offsetX, event.offsetY);
    grabbed = {
      hit,
      x: event.clientX,
      y: event.clientY,
      hasMoved: false,
      at: sampleAt(event.offsetX, model().view, score().width),
    };
    if (hit.row) actions.focusRole(hit.row.role);
    if (hit.kind === "ruler") actions.seek(sampleAt(event.offsetX, model().view, score().width));
    if (hit.kind === "clip" || hit.kind === "speech-gap") actions.select(hit.clip.id);
    if (hit.kind === "speech" || hit.kind === "speech-edge") actions.selectSpeech(hit.span);
    if (hit.kind === "lane" && hit.passage) actions.goToPassage(hit.passage);
  });

  canvas.addEventListener("dblclick", (event) => {
    const hit = hitTest(score(), event.offsetX, event.offsetY);
    if (hit.kind === "duck-point") actions.removePoint(hit.handle.duck.id, hit.handle.sample);
    else if ((hit.kind === "clip" || hit.kind === "stave") && hit.row.duck)
      actions.addPoint(hit.row.duck.id, sampleAt(event.offsetX, model().view, score().width));
  });

  canvas.addEventListener("pointermove", (event) => {
    if (!grabbed) {
      canvas.style.cursor = cursorFor(hitTest(score(), event.offsetX, event.offsetY));
      return;
    }
    const { hit } = grabbed;
    if (hit.kind === "ruler") {
      actions.seek(sampleAt(event.offsetX, model().view, score().width));
      return;
    }
    const movedPx = grabbed.y - event.clientY;
    const sideways = hit.kind === "duck-point" || hit.kind.startsWith("speech");
    if (Math.abs(movedPx) > CLICK_PX || (sideways && Math.abs(grabbed.x - event.clientX) > CLICK_PX))
      grabbed.hasMoved = true;
    if (grabbed.hasMoved && sideways) {
      const now = sampleAt(event.offsetX, model().view, score().width);
      dragSideways(hit, grabbed, now, movedPx, event.shiftKey ? 0.2 : 1, actions);
      return;
    }
    if (!grabbed.hasMoved || !["clip", "stem", "level"].includes(hit.kind)) return;
    const fine = event.shiftKey ? 0.2 : 1;
    const deltaDb = Math.round((movedPx * fine * 10) / hit.row.pxPerDb) / 10;
    if (hit.kind === "clip") actions.drag({ target: "clip", id: hit.clip.id, deltaDb });
    else if (hit.kind === "level") actions.drag({ target: "line", id: hit.row.role, which: hit.level.which, deltaDb });
    else actions.drag({ target: "stem", id: hit.row.role, deltaDb });
  });

  canvas.addEventListener("pointerup", (event) => {
    if (!grabbed) return;
    const { hit, hasMoved } = grabbed;
    grabbed = null;
    if (hasMoved) actions.drop();
    else if (
      hit.kind === "lane"
        ? !hit.passage
        : hit.kind !== "ruler" && event.offsetX > GUTTER_WIDTH && event.offsetY > RULER_HEIGHT
    ) {
      actions.seek(sampleAt(event.offsetX, model().view, score().width));
    }
  });

  canvas.addEventListener("pointercancel", () => {
    grabbed = null;
    actions.cancelDrag();
  });

  canvas.addEventListener(
    "wheel",
    (event) => {
      const { view } = model();
      if (event.ctrlKey || event.altKey) {
        event.preventDefault();
        actions.zoom(event.deltaY > 0 ? 1.25 : 0.8, sampleAt(event.offsetX, view, score().width));
      } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        event.preventDefault();
        actions.scroll(((event.deltaX || event.deltaY) / score().width) * (view.end - view.start));
      }
    },
    { passive: false },
  );
}

export function bindHorizon(canvas, { horizon, actions }) {
  let grabbed = null;
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    const [left, right] = horizon().window;
    const isWhole = right - left >= horizon().right - 122;
    if (isWhole) {
      actions.seek(horizon().sampleAt(event.offsetX));
      return;
    }
    grabbed = { x: event.offsetX };
    if (event.offsetX < left || event.offsetX > right) actions.centre(horizon().sampleAt(event.offsetX));
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!grabbed) return;
    actions.scroll(horizon().sampleAt(event.offsetX) - horizon().sampleAt(grabbed.x));
    grabbed.x = event.offsetX;
  });
  canvas.addEventListener("pointerup", () => {
    grabbed = null;
  });
}

function dragSideways(hit, grabbed, now, movedPx, fine, actions) {
  if (hit.kind === "duck-point") {
    const { handle, row } = hit;
    const at = Math.max(0, Math.round(handle.sample + (now - grabbed.at) * fine));
    const gainDb = Math.min(0, Math.round((handle.db + (movedPx * fine) / row.pxPerDb) * 10) / 10);
    actions.drag({ target: "duck", id: handle.duck.id, was: handle.sample, index: handle.index, at, gainDb });
  } else if (hit.kind === "speech-edge") {
    const { span, side } = hit;
    const moved = { from: span.from, to: span.to, [side]: Math.round(now) };
    if (moved.to > moved.from) actions.drag({ target: "speech", clipId: span.clipId, was: span, side, ...moved });
  } else if (hit.kind === "speech-gap") {
    actions.drag({
      target: "speech",
      clipId: hit.clip.id,
      from: Math.round(Math.min(grabbed.at, now)),
      to: Math.round(Math.max(grabbed.at, now)),
    });
  }
}

function cursorFor(hit) {
  return (
    {
      ruler: "col-resize",
      clip: "ns-resize",
      stem: "ns-resize",
      level: "ns-resize",
      "duck-point": "move",
      "speech-edge": "col-resize",
      speech: "pointer",
      "speech-gap": "crosshair",
      lane: hit.passage ? "pointer" : "default",
    }[hit.kind] || "default"
  );
}
