// A clip on a stave: its loudness as a line, and what giving way takes off.

import { gainText, signed } from "../../lib/units.js";
import { gainAt, movedDb } from "../model.js";
import { GUTTER_WIDTH, xOf } from "../scale.js";
import { hatch } from "../../lib/canvas.js";
import { label, MONO, TEXT, trace } from "./ink.js";

const FLOOR_TENTHS = -1000;

export function shapeOfClip(model, clip, at) {
  const view = model.view;
  const x = xOf(clip.start_sample, view, at.width);
  const width = Math.max(3, xOf(clip.start_sample + clip.length_samples, view, at.width) - x);
  const isDragged = model.drag && model.drag.target === "clip" && model.drag.id === clip.id;
  const shiftDb = at.stemShift + (isDragged ? model.drag.deltaDb : 0);
  const lineDb = shiftDb + movedDb(model, clip);
  const contour = model.contours && model.contours.clips[clip.id];
  const traced = (tenthsOf) => {
    if (!contour) return [];
    const step = model.contours.step_samples;
    return tenthsOf.map((tenths, index) => {
      const sample = contour.from_sample + index * step;
      const px = xOf(sample, view, at.width);
      const dipDb = at.dragged && tenthsOf === contour.undipped ? gainAt(at.dragged, sample) : 0;
      const y = at.yOf(tenths <= FLOOR_TENTHS ? -200 : tenths / 10 + lineDb + dipDb);
      return [Math.min(Math.max(px, x), x + width), y];
    });
  };
  const isDipped = Boolean(contour && contour.undipped);
  const isDrawn = at.dragged && isDipped && (at.duck.stem || at.duck.track_id === clip.track_id);
  const points = contour ? traced(isDrawn ? contour.undipped : contour.tenths) : [];
  const undipped = isDipped
    ? contour.undipped.map((tenths, index) => {
        const sample = contour.from_sample + index * model.contours.step_samples;
        return [
          Math.min(Math.max(xOf(sample, view, at.width), x), x + width),
          at.yOf(tenths <= FLOOR_TENTHS ? -200 : tenths / 10 + lineDb),
        ];
      })
    : [];
  const missLu = clip.in_mix_lufs === null || clip.is_out || !at.isAimed ? null : clip.in_mix_lufs + shiftDb - at.aim;
  return {
    id: clip.id,
    name: clip.name,
    x,
    width,
    y: at.top,
    height: at.height,
    points,
    undipped,
    missLu,
    gainDb: clip.gain_db + (isDragged ? model.drag.deltaDb : 0),
    isOut: Boolean(clip.is_out),
    isSelected: clip.id === model.selectedId,
    isDragged: Boolean(isDragged),
  };
}

export function lineAt(clip, x) {
  let nearest = clip.y;
  for (const [px, y] of clip.points) {
    nearest = y;
    if (px >= x) break;
  }
  return nearest;
}

// Where clips overlap, the one whose line is nearest to the pointer.
export function clipUnder(row, x, y) {
  const inside = row.clips.filter((clip) => x >= clip.x - 1 && x <= clip.x + clip.width + 1);
  inside.sort((a, b) => Math.abs(lineAt(a, x) - y) - Math.abs(lineAt(b, x) - y));
  return inside[0] || null;
}

export function paintClip(context, clip, colour, theme, alpha) {
  const bottom = clip.y + clip.height;
  context.save();
  context.beginPath();
  context.rect(Math.max(clip.x, GUTTER_WIDTH), clip.y, clip.width - Math.max(0, GUTTER_WIDTH - clip.x), clip.height);
  context.clip();
  context.fillStyle = theme.raised;
  context.globalAlpha = alpha * 0.55;
  context.fillRect(clip.x, clip.y, clip.width, clip.height);
  if (clip.points.length > 1) {
    trace(context, clip.points);
    context.lineTo(clip.points.at(-1)[0], bottom);
    context.lineTo(clip.points[0][0], bottom);
    context.fillStyle = colour;
    context.globalAlpha = alpha * 0.17;
    context.fill();
    context.globalAlpha = alpha;
    if (clip.undipped.length > 1) paintTaken(context, clip, colour, alpha);
    trace(context, clip.points);
    context.strokeStyle = colour;
    context.lineWidth = 1.6;
    context.lineJoin = "round";
    context.stroke();
  }
  context.globalAlpha = alpha;
  if (clip.isOut) {
    context.fillStyle = hatch(context, colour);
    context.fillRect(clip.x, clip.y, clip.width, clip.height);
  }
  context.font = TEXT;
  context.fillStyle = colour;
  const textX = Math.max(clip.x, GUTTER_WIDTH) + 6;
  if (clip.width > 26 && clip.isNamed) {
    const words = clip.isOut ? `${clip.name}, out of the mix` : clip.name;
    // On paper of its own, so that no curve runs through it.
    context.fillStyle = theme.raised;
    context.globalAlpha = alpha * 0.8;
    context.fillRect(textX - 2, clip.y + 4, context.measureText(words).width + 4, 13);
    context.globalAlpha = alpha;
    context.fillStyle = colour;
    context.fillText(words, textX, clip.y + 14);
  }
  if (clip.width > 60 && clip.isNamed && clip.missLu !== null && Math.abs(clip.missLu) >= 3) {
    context.font = MONO;
    const words = `${signed(Math.abs(clip.missLu))} ${clip.missLu > 0 ? "over" : "under"}`;
    context.fillStyle = theme.raised;
    context.globalAlpha = alpha * 0.8;
    context.fillRect(textX - 2, clip.y + 17, context.measureText(words).width + 4, 13);
    context.globalAlpha = alpha;
    context.fillStyle = colour;
    context.fillText(words, textX, clip.y + 27);
  }
  context.restore();
  context.globalAlpha = alpha * (clip.isSelected ? 1 : 0.5);
  context.strokeStyle = clip.isSelected ? theme.ink : colour;
  context.lineWidth = clip.isSelected ? 2 : 1;
  context.strokeRect(
    Math.max(clip.x, GUTTER_WIDTH) + 0.5,
    clip.y + 0.5,
    clip.width - Math.max(0, GUTTER_WIDTH - clip.x) - 1,
    clip.height - 1,
  );
  context.globalAlpha = alpha;
  if (clip.isSelected || clip.isDragged) {
    const middle = Math.max(clip.x + clip.width / 2, GUTTER_WIDTH + 26);
    const top = clip.points.reduce((least, [, y]) => Math.min(least, y), bottom);
    label(context, gainText(clip.gainDb), middle, Math.min(Math.max(top - 12, clip.y + 40), bottom - 12), theme);
  }
}

// What giving way takes off: hatched between the dotted line as it would be and the line as it is.
function paintTaken(context, clip, colour, alpha) {
  trace(context, clip.undipped);
  for (let i = clip.points.length - 1; i >= 0; i -= 1) context.lineTo(...clip.points[i]);
  context.closePath();
  context.fillStyle = hatch(context, colour);
  context.globalAlpha = alpha * 0.9;
  context.fill();
  trace(context, clip.undipped);
  context.setLineDash([1.5, 3]);
  context.strokeStyle = colour;
  context.lineWidth = 1.2;
  context.globalAlpha = alpha * 0.8;
  context.stroke();
  context.setLineDash([]);
  context.globalAlpha = alpha;
}
