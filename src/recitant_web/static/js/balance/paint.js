// Shapes to ink. Decides nothing: positions come from layout.js, colours from tokens.css.

import { clock, gainText, signed } from "../lib/units.js";
import { GUTTER_WIDTH, HORIZON_LEFT } from "./layout.js";

const MONO = '10px "Spline Sans Mono", monospace';
const TEXT = '600 10.5px "Public Sans", sans-serif';

export function paintScore(context, score, theme, silentRoles) {
  context.fillStyle = theme.paper;
  context.fillRect(0, 0, score.width, score.height);
  context.font = MONO;
  for (const tick of score.ticks) {
    context.fillStyle = theme.edge;
    context.fillRect(tick.x, 0, 1, score.height);
    context.fillStyle = theme.soft;
    context.fillText(clock(tick.sample), tick.x + 4, 16);
  }
  for (const row of score.rows) {
    context.globalAlpha = silentRoles.has(row.role) ? 0.35 : 1;
    paintStave(context, row, score, theme);
    context.globalAlpha = 1;
  }
  paintLane(context, score, theme);
}

function paintLane(context, score, theme) {
  const { lane } = score;
  context.fillStyle = theme.sheet;
  context.fillRect(0, lane.top, score.width, lane.height);
  for (const bar of lane.bars) {
    context.fillStyle = bar.isClose ? theme.over : theme.within;
    context.globalAlpha = bar.isClose ? 0.55 : 0.28;
    context.fillRect(bar.x, bar.y, bar.width, bar.height);
  }
  context.globalAlpha = 1;
  // Close passages are not told by colour alone: a bracket stands over each.
  context.fillStyle = theme.over;
  for (const { x, width } of lane.passages) {
    context.fillRect(x, lane.top + 2, width, 2);
    context.fillRect(x, lane.top + 2, 1.5, 6);
    context.fillRect(x + width - 1.5, lane.top + 2, 1.5, 6);
  }
  context.strokeStyle = theme.ink;
  context.lineWidth = 1;
  context.setLineDash([5, 4]);
  context.beginPath();
  context.moveTo(GUTTER_WIDTH, lane.askedY);
  context.lineTo(score.width, lane.askedY);
  context.stroke();
  context.setLineDash([]);
  context.font = MONO;
  context.fillStyle = theme.soft;
  context.textAlign = "right";
  context.fillText(signed(lane.asked, lane.asked % 1 ? 1 : 0), GUTTER_WIDTH - 6, lane.askedY + 3.5);
  context.textAlign = "left";
}

function paintStave(context, row, score, theme) {
  const alpha = context.globalAlpha;
  const colour = theme[row.role];
  context.fillStyle = theme.sheet;
  context.fillRect(0, row.top, score.width, row.height);
  for (const line of row.lines) {
    context.fillStyle = line.isAim ? colour : theme.rule;
    context.globalAlpha = alpha * (line.isAim ? 0.6 : 1);
    context.fillRect(GUTTER_WIDTH, line.y - 0.5, score.width, 1);
  }
  context.globalAlpha = alpha;
  for (const clip of row.clips) paintClip(context, clip, colour, theme, alpha);
  paintSpeech(context, row, colour, theme, alpha);
  paintHandles(context, row, colour, theme);
  context.fillStyle = theme.paper;
  context.fillRect(0, row.top, GUTTER_WIDTH, row.height);
  context.font = MONO;
  context.fillStyle = theme.faint;
  for (const line of row.lines) context.fillText(signed(line.lufs, 0), 6, line.y + 3.5);
  // The grip of the whole stem, on its aim line: drag it up or down.
  const grip = row.lines.find((line) => line.isAim);
  context.fillStyle = colour;
  context.fillRect(GUTTER_WIDTH - 5, row.top, 3, row.height);
  if (row.isDragged && grip) label(context, gainText(row.stemDb), GUTTER_WIDTH + 26, grip.y, theme);
}

function paintSpeech(context, row, colour, theme, alpha) {
  for (const span of row.speech) {
    context.globalAlpha = alpha * (0.35 + 0.55 * span.confidence);
    context.fillStyle = colour;
    context.fillRect(span.x, row.speechTop + 3, span.width, row.speechHeight - 4);
    context.globalAlpha = alpha;
    context.fillRect(span.x, row.speechTop, 1.5, row.speechHeight);
    context.fillRect(span.x + span.width - 1.5, row.speechTop, 1.5, row.speechHeight);
    if (span.isSelected) {
      context.strokeStyle = theme.ink;
      context.lineWidth = 1.5;
      context.strokeRect(span.x - 1, row.speechTop - 1, span.width + 2, row.speechHeight);
    }
  }
  context.globalAlpha = alpha;
}

function paintHandles(context, row, colour, theme) {
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

const hatchings = new Map();
function hatch(context, colour) {
  if (hatchings.has(colour)) return hatchings.get(colour);
  const tile = document.createElement("canvas");
  tile.width = tile.height = 7;
  const ink = tile.getContext("2d");
  ink.strokeStyle = colour;
  ink.globalAlpha = 0.45;
  ink.lineWidth = 0.9;
  ink.beginPath();
  ink.moveTo(-1, 8);
  ink.lineTo(8, -1);
  ink.stroke();
  hatchings.set(colour, context.createPattern(tile, "repeat"));
  return hatchings.get(colour);
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

function paintClip(context, clip, colour, theme, alpha) {
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
  context.font = TEXT;
  context.fillStyle = colour;
  const textX = Math.max(clip.x, GUTTER_WIDTH) + 6;
  if (clip.width > 26) context.fillText(clip.name, textX, clip.y + 14);
  if (clip.width > 60 && clip.missLu !== null && Math.abs(clip.missLu) >= 3) {
    context.font = MONO;
    context.fillText(`${signed(Math.abs(clip.missLu))} ${clip.missLu > 0 ? "over" : "under"}`, textX, clip.y + 27);
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

function label(context, text, x, y, theme) {
  context.fillStyle = theme.ink;
  context.beginPath();
  context.roundRect(x - 22, y - 9, 44, 18, 4);
  context.fill();
  context.fillStyle = theme["on-ink"];
  context.font = '600 11px "Spline Sans Mono", monospace';
  context.textAlign = "center";
  context.fillText(text, x, y + 4);
  context.textAlign = "left";
}

function trace(context, points) {
  context.beginPath();
  points.forEach(([x, y], i) => (i ? context.lineTo(x, y) : context.moveTo(x, y)));
}

export function paintHorizon(context, horizon, theme, words) {
  context.clearRect(0, 0, horizon.width, horizon.height);
  const room = horizon.right - HORIZON_LEFT;
  context.fillStyle = theme.band;
  context.fillRect(HORIZON_LEFT, horizon.bandTop, room, Math.max(2, horizon.bandBottom - horizon.bandTop));
  context.fillStyle = theme.within;
  context.fillRect(HORIZON_LEFT, horizon.aimY - 0.5, room, 1);
  if (horizon.points.length > 1) {
    trace(context, horizon.points);
    context.strokeStyle = theme.ink;
    context.lineWidth = 1.2;
    context.stroke();
  }
  const [left, right] = horizon.window;
  if (right - left < room - 2) {
    context.globalAlpha = 0.07;
    context.fillStyle = theme.ink;
    context.fillRect(left, 3, right - left, horizon.height - 6);
    context.globalAlpha = 1;
    context.strokeStyle = theme.ink;
    context.lineWidth = 1.5;
    context.strokeRect(left, 3.5, right - left, horizon.height - 7);
  }
  context.font = '11px "Public Sans", sans-serif';
  context.fillStyle = theme.soft;
  words.forEach((line, i) => context.fillText(line, 16, 22 + i * 16));
  context.font = MONO;
  context.fillStyle = theme.within;
  context.textAlign = "right";
  context.fillText(words.target, HORIZON_LEFT - 4, horizon.aimY + 3.5);
  context.textAlign = "left";
}
