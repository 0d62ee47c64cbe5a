// A point of a curve of giving way, on the dipped line.

import { gainText } from "../../lib/units.js";
import { pointsOf } from "../model.js";
import { GUTTER_WIDTH, xOf } from "../scale.js";
import { lineAt } from "./clip.js";
import { label } from "./ink.js";

const REACH_PX = 8;

// A handle sits on the dipped line of what sounds there; where nothing does, as far under the aim as the curve lies.
export function shapesOfHandles(model, duck, clips, at) {
  if (duck.rule.kind !== "curve" || !duck.rule.uses_level) return [];
  const handles = [];
  pointsOf(model, duck).forEach(([sample, db, isPinned], index) => {
    const x = xOf(sample, model.view, at.width);
    if (x < GUTTER_WIDTH || x > at.width) return;
    const under = clips.filter((clip) => clip.points.length > 1 && x >= clip.x && x <= clip.x + clip.width);
    const ys = under.map((clip) => lineAt(clip, x));
    const y = ys.length ? Math.min(...ys) : at.yOf(at.aim + db);
    const isDragged = Boolean(at.dragged && model.drag.index === index);
    handles.push({
      duck,
      index,
      sample,
      db,
      isPinned,
      isDragged,
      x,
      y: Math.min(Math.max(y, at.top + 4), at.top + at.height - 4),
    });
  });
  // Handles on each other's feet are not drawn: zoom in for them.
  return handles.filter((h, i) => i === 0 || h.x - handles[i - 1].x > 5 || h.isPinned);
}

export const handleUnder = (row, x, y) => row.handles.find((h) => Math.hypot(h.x - x, h.y - y) <= REACH_PX) || null;

export function paintHandles(context, row, colour, theme) {
  for (const handle of row.handles) {
    context.save();
    context.translate(handle.x, handle.y);
    context.rotate(Math.PI / 4);
    context.fillStyle = handle.isPinned ? colour : theme.raised;
    context.strokeStyle = colour;
    context.lineWidth = 1.6;
    context.beginPath();
    context.rect(-4, -4, 8, 8);
    context.fill();
    context.stroke();
    context.restore();
    if (handle.isDragged) label(context, gainText(handle.db), handle.x, Math.max(row.top + 12, handle.y - 16), theme);
  }
}
