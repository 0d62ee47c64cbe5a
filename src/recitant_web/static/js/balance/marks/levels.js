// The two levels of a stave: in the open a whole line, under speech a dashed one, each with a grip; and its slow trim.

import { gainText, signed } from "../../lib/units.js";
import { GUTTER_WIDTH, xOf } from "../scale.js";
import { label, MONO, TEXT, trace } from "./ink.js";

const GRIP_WIDTH = 12;
const REACH_PX = 6;
const TRIM_FOOT = 16;
const TRIM_PX_PER_DB = 1.6;
const TRIM_ROOM = 14;
const WORDS = { open: "in the open", under: "under speech" };

// The lines with the one that is being dragged where the pointer has it; none where no rule keeps two levels.
export function shapesOfLevels(model, stave, at) {
  if (!stave.lines) return [];
  const drag = model.drag && model.drag.target === "line" && model.drag.id === stave.role ? model.drag : null;
  const shift = (which) => (drag && drag.which === which ? drag.deltaDb : 0);
  const found = ["open", "under"].map((which) => {
    const lufs = stave.lines[`${which}_lufs`] + shift(which);
    return { which, role: stave.role, lufs, y: Math.round(at.yOf(lufs)) + 0.5, isDragged: shift(which) !== 0 };
  });
  // One level for both, as atmosphere has it, is one line.
  return found[0].lufs === found[1].lufs && !drag ? found.slice(0, 1) : found;
}

export function levelUnder(row, x, y) {
  if (x > GUTTER_WIDTH + GRIP_WIDTH + 2) return null;
  return row.levels.find((level) => Math.abs(level.y - y) <= REACH_PX) || null;
}

export function paintLevels(context, row, score, colour, theme, alpha) {
  for (const level of row.levels) {
    context.strokeStyle = colour;
    context.lineWidth = 1.4;
    context.globalAlpha = alpha * 0.85;
    if (level.which === "under") context.setLineDash([7, 4]);
    trace(context, [
      [GUTTER_WIDTH, level.y],
      [score.width, level.y],
    ]);
    context.stroke();
    context.setLineDash([]);
    context.globalAlpha = alpha;
    const words = row.levels.length === 1 ? "stays even" : WORDS[level.which];
    const text = `${words} ${signed(level.lufs, 1)}`;
    context.font = TEXT;
    const wide = context.measureText(text).width;
    context.fillStyle = theme.sheet;
    context.globalAlpha = alpha * 0.85;
    context.fillRect(score.width - wide - 12, level.y - 15, wide + 8, 13);
    context.globalAlpha = alpha;
    context.fillStyle = colour;
    context.fillText(text, score.width - wide - 8, level.y - 5);
  }
}

// Grips stand over everything else at the left edge, so that a line can be taken hold of.
export function paintGrips(context, row, colour, theme) {
  for (const level of row.levels) {
    context.fillStyle = level.which === "under" ? theme.raised : colour;
    context.strokeStyle = colour;
    context.lineWidth = 1.5;
    context.beginPath();
    context.roundRect(GUTTER_WIDTH + 1, level.y - 5, GRIP_WIDTH - 2, 10, 2);
    context.fill();
    context.stroke();
    if (level.isDragged) label(context, signed(level.lufs), GUTTER_WIDTH + 44, level.y, theme);
  }
}

export function shapeOfTrim(model, stave, at) {
  if (!stave.trim_points.length) return null;
  const foot = at.top + at.height - TRIM_FOOT;
  const yOf = (db) => foot - Math.max(-TRIM_ROOM, Math.min(TRIM_ROOM, db * TRIM_PX_PER_DB));
  const points = stave.trim_points.map(([sample, db]) => [xOf(sample, model.view, at.width), yOf(db)]);
  const scenes = stave.trim
    .map(([sample, db, isKept]) => ({ x: xOf(sample, model.view, at.width), y: yOf(db), db, isKept }))
    .filter((scene) => scene.x <= at.width);
  return {
    points: [[GUTTER_WIDTH, points[0][1]], ...points, [at.width, points.at(-1)[1]]].filter(([x]) => x >= GUTTER_WIDTH),
    zero: foot,
    scenes,
  };
}

export function paintTrim(context, row, score, theme, alpha) {
  const { trimShape } = row;
  if (!trimShape) return;
  context.globalAlpha = alpha * 0.35;
  context.fillStyle = theme.brass;
  context.fillRect(GUTTER_WIDTH, trimShape.zero - 0.5, score.width - GUTTER_WIDTH, 1);
  context.globalAlpha = alpha;
  trace(context, trimShape.points);
  context.strokeStyle = theme.brass;
  context.lineWidth = 2;
  context.stroke();
  for (const [index, scene] of trimShape.scenes.entries()) {
    const x = Math.max(scene.x, GUTTER_WIDTH + 4);
    const next = trimShape.scenes[index + 1];
    if (next && next.x < GUTTER_WIDTH + 4) continue;
    context.fillStyle = scene.isKept ? theme.brass : theme.raised;
    context.lineWidth = 1.5;
    context.beginPath();
    context.rect(x - 3.5, scene.y - 3.5, 7, 7);
    context.fill();
    context.stroke();
    const room = (next ? next.x : score.width) - x;
    const text = `trim ${gainText(scene.db)}`;
    context.font = MONO;
    if (scene.db !== 0 && room > context.measureText(text).width + 12) {
      context.fillStyle = theme.brass;
      context.fillText(text, x + 8, scene.y + (scene.db > 0 ? 12 : -5));
    }
  }
}
