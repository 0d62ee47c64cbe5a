// Pointer to intentions on the canvas: what is grabbed, how far, where it snaps. The server decides when it is let go.

import { RATE_HZ, gainText } from "../lib/units.js";
import { trimLimits } from "./drawn.js";
import { curveDb } from "./marks/curve.js";
import { sampleAt } from "./scale.js";
import { hitTest } from "./scene.js";
import { shownTracks, snapPlaces, snapped, withGroup } from "./model.js";

const CLICK_PX = 3;
const SNAP_PX = 8;
const CURSORS = {
  ruler: "col-resize",
  marker: "ew-resize",
  clip: "grab",
  "trim-start": "w-resize",
  "trim-end": "e-resize",
  "fade-in": "ew-resize",
  "fade-out": "ew-resize",
  point: "move",
  line: "crosshair",
};

export function bindCanvas(canvas, { model, scene, actions }) {
  let grabbed = null;

  const at = (event) => sampleAt(event.offsetX, model.view, scene().width);

  canvas.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    canvas.focus({ preventScroll: true });
    canvas.setPointerCapture(event.pointerId);
    const hit = hitTest(model, scene(), event.offsetX, event.offsetY);
    grabbed = {
      hit,
      x: event.offsetX,
      y: event.offsetY,
      sample: at(event),
      hasMoved: false,
      keys: { shift: event.shiftKey, alt: event.altKey },
    };
    if (hit.row) model.track = hit.row.track.id;
    if (hit.kind === "ruler") {
      if (event.shiftKey) {
        grabbed.isRange = true;
        actions.setRange([grabbed.sample, grabbed.sample]);
      } else actions.scrub(grabbed.sample);
    } else if (hit.shape) {
      const { id } = hit.shape.clip;
      if (event.shiftKey && hit.kind === "clip") actions.selectRange(id);
      else if (event.ctrlKey || event.metaKey) actions.select(id, { isAdding: true });
      else if (!model.selected.has(id)) actions.select(id);
      if (hit.kind === "line") startLine(event);
    }
  });

  canvas.addEventListener("pointermove", (event) => {
    if (!grabbed) {
      const { kind } = hitTest(model, scene(), event.offsetX, event.offsetY);
      canvas.style.cursor = CURSORS[kind] || "default";
      return;
    }
    const { hit } = grabbed;
    if (Math.hypot(event.offsetX - grabbed.x, event.offsetY - grabbed.y) > CLICK_PX) grabbed.hasMoved = true;
    if (hit.kind === "ruler") {
      if (grabbed.isRange) actions.setRange([Math.min(grabbed.sample, at(event)), Math.max(grabbed.sample, at(event))]);
      else actions.scrub(at(event));
      return;
    }
    if (!grabbed.hasMoved) return;
    const by = Math.round((event.offsetX - grabbed.x) * scene().samplesPerPixel);
    if (hit.kind === "lane" || hit.kind === "nothing") drawBox(event);
    else if (hit.kind === "marker")
      actions.preview({
        kind: "marker",
        ids: new Set(),
        marker: hit.marker,
        ...label(event, actions.tc(Math.max(0, hit.marker.at_sample + by))),
        at: Math.max(0, Math.round(hit.marker.at_sample + by)),
      });
    else dragClip(event, by);
  });

  canvas.addEventListener("pointerup", (event) => {
    if (!grabbed) return;
    const was = grabbed;
    grabbed = null;
    const { gesture } = model;
    if (gesture?.box) {
      actions.selectBox(gesture.box, was.keys.shift);
      return;
    }
    if (gesture) {
      actions.finish(gesture);
      return;
    }
    if (was.hit.kind === "line") {
      actions.edit({ kind: "point-add", id: was.hit.shape.clip.id, at_sample: was.drawn[0][0] });
      return;
    }
    if (was.hit.kind === "lane" || was.hit.kind === "nothing") {
      actions.clearSelection();
      actions.seek(at(event));
    }
    if (was.hit.kind === "clip" && !was.hasMoved && !was.keys.shift && !event.ctrlKey && !event.metaKey)
      actions.select(was.hit.shape.clip.id, { isAlone: true });
    if (was.hit.kind === "point" && event.altKey) actions.removePoint(was.hit.shape.clip.id, was.hit.index);
  });

  canvas.addEventListener("pointercancel", () => {
    grabbed = null;
    actions.preview(null);
  });
  canvas.addEventListener("dblclick", (event) => {
    const hit = hitTest(model, scene(), event.offsetX, event.offsetY);
    if (hit.kind === "marker") actions.nameMarker(hit.marker);
    else if (hit.kind === "clip") actions.showWhole(hit.shape.clip);
  });

  canvas.addEventListener(
    "wheel",
    (event) => {
      if (event.ctrlKey || event.altKey) {
        event.preventDefault();
        actions.zoom(Math.exp(event.deltaY * 0.0022), at(event));
      } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        event.preventDefault();
        actions.scroll((event.deltaX || event.deltaY) * scene().samplesPerPixel);
      } else {
        event.preventDefault();
        actions.scrollRows(event.deltaY);
      }
    },
    { passive: false },
  );

  function label(event, words) {
    return { words, x: event.offsetX, y: event.offsetY };
  }

  function reach(event) {
    return model.isSnapping && !event.ctrlKey && !event.metaKey ? SNAP_PX * scene().samplesPerPixel : -1;
  }

  function dragClip(event, wished) {
    const { hit, keys } = grabbed;
    const { clip } = hit.shape;
    const one = new Set([clip.id]);
    if (hit.kind === "clip" && keys.alt) {
      const source = model.state.sources[clip.source];
      const by = Math.min(clip.in, Math.max(clip.in + clip.length - source.length_samples, wished));
      actions.preview({ kind: "slip", ids: one, by, ...label(event, `slip ${actions.length(by)}`) });
    } else if (hit.kind === "clip") {
      const ids = withGroup(model, model.selected);
      const clips = [...ids].map((id) => model.clips.get(id));
      const least = -Math.min(...clips.map((c) => c.start));
      const edges =
        clips.length > 40
          ? [clip.start, clip.start + clip.length]
          : clips.flatMap((c) => [c.start, c.start + c.length]);
      const found = snapped(snapPlaces(model, actions.playhead(), ids), edges, wished, reach(event));
      const by = Math.max(least, model.state.is_picture_locked ? 0 : found.by);
      const rowNow = scene().allRows.find((row) => event.offsetY - 34 + actions.scrollTop() < row.top + row.height + 3);
      const tracks = shownTracks(model);
      const byTracks = rowNow ? rowNow.index - tracks.findIndex((t) => t.id === clip.track) : 0;
      const grabbedIds = new Set(model.selected);
      const words = model.state.is_picture_locked
        ? "picture locked"
        : `${actions.tc(clip.start + by)}  ${by < 0 ? "−" : "+"}${actions.length(Math.abs(by))}`;
      actions.preview({
        kind: "move",
        ids,
        by,
        byTracks,
        isGrabbed: (id) => grabbedIds.has(id),
        snapAt: found.at !== null && by === found.by ? found.at : null,
        ...label(event, words),
      });
    } else if (hit.kind === "trim-start" || hit.kind === "trim-end") {
      const isStart = hit.kind === "trim-start";
      const edge = isStart ? clip.start : clip.start + clip.length;
      const found = snapped(snapPlaces(model, actions.playhead(), one), [edge], wished, reach(event));
      const [least, most] = trimLimits(model.state, clip, isStart ? "start" : "end");
      const by = Math.round(Math.min(most, Math.max(least, found.by)));
      actions.preview({
        kind: hit.kind,
        ids: one,
        by,
        snapAt: by === found.by ? found.at : null,
        ...label(event, actions.tc(edge + by)),
      });
    } else if (hit.kind === "fade-in" || hit.kind === "fade-out") {
      const isIn = hit.kind === "fade-in";
      const was = isIn ? clip.fade_in[0] : clip.fade_out[0];
      const other = isIn ? clip.fade_out[0] : clip.fade_in[0];
      const length = Math.round(Math.min(clip.length - other, Math.max(0, was + (isIn ? wished : -wished))));
      actions.preview({ kind: hit.kind, ids: one, length, ...label(event, `${(length / RATE_HZ).toFixed(2)} s`) });
    } else if (hit.kind === "point") {
      const points = clip.curve.map((p) => [...p]);
      const low = hit.index ? points[hit.index - 1][0] + 1 : 0;
      const high = hit.index + 1 < points.length ? points[hit.index + 1][0] - 1 : clip.length;
      const place = Math.round(Math.min(high, Math.max(low, points[hit.index][0] + wished)));
      const db = curveDb(event.offsetY, hit.row);
      points[hit.index] = [place, db];
      actions.preview({
        kind: "point",
        ids: one,
        points,
        index: hit.index,
        place,
        db,
        ...label(event, `${gainText(db)} dB`),
      });
    } else if (hit.kind === "line") drawLine(event);
  }

  // In curve mode: a click adds a point where the curve runs; drawing lays points along the way.
  function startLine(event) {
    const { shape, row } = grabbed.hit;
    grabbed.drawn = [[Math.round(at(event) - shape.clip.start), curveDb(event.offsetY, row)]];
  }

  function drawLine(event) {
    const { shape, row } = grabbed.hit;
    const place = Math.round(Math.min(shape.clip.length, Math.max(0, at(event) - shape.clip.start)));
    const last = grabbed.drawn.at(-1);
    if (Math.abs(place - last[0]) < 7 * scene().samplesPerPixel) return;
    grabbed.drawn.push([place, curveDb(event.offsetY, row)]);
    previewLine(event);
  }

  function previewLine(event) {
    const { clip } = grabbed.hit.shape;
    const low = Math.min(...grabbed.drawn.map(([p]) => p));
    const high = Math.max(...grabbed.drawn.map(([p]) => p));
    const kept = (clip.curve || []).filter(([p]) => p < low || p > high);
    const points = [...kept, ...grabbed.drawn].sort((a, b) => a[0] - b[0]);
    actions.preview({
      kind: "point",
      drawn: grabbed.drawn,
      ids: new Set([clip.id]),
      points,
      ...label(event, `${gainText(grabbed.drawn.at(-1)[1])} dB`),
    });
  }

  function drawBox(event) {
    const box = {
      left: Math.min(grabbed.x, event.offsetX),
      right: Math.max(grabbed.x, event.offsetX),
      top: Math.min(grabbed.y, event.offsetY),
      bottom: Math.max(grabbed.y, event.offsetY),
    };
    actions.preview({ kind: "box", ids: new Set(), box });
  }
}
