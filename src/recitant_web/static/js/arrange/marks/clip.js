// A clip on its track: waveform, name, edges, and where it lies over another one.

import { hatch } from "../../lib/canvas.js";
import { gainText } from "../../lib/units.js";
import { drawOutline } from "../../lib/waves.js";
import { xOf } from "../scale.js";
import { curveUnder, paintCurve, shapeOfCurve } from "./curve.js";
import { fadeUnder, paintFades, shapeOfFades } from "./fades.js";
import { MONO, TEXT } from "./ink.js";

export const EDGE_PX = 6;
const SMALLEST_NAMED = 30;
const IS_NUMBER = /^[0-9a-f]{12}$/; // of a group that nobody named

export function shapeOfClip(model, clip, row, width) {
  const x = xOf(clip.start, model.view, width);
  const w = Math.max(1, (clip.length / (model.view.end - model.view.start)) * width);
  const y = row.y;
  return {
    clip,
    x,
    w,
    y,
    h: row.height,
    role: row.track.role,
    isOut: Boolean(clip.is_out || row.track.is_out),
    isSelected: model.selected.has(clip.id),
    ...shapeOfFades(clip, w),
    curve: shapeOfCurve(clip, row, x, w),
  };
}

// A clip of a row, or the part of it that can be dragged by itself; null where there is none.
export function clipUnder(model, row, x, y) {
  const over = row.clips.filter((shape) => x >= shape.x - 2 && x <= shape.x + shape.w + 2);
  // Later clips lie on top; a chosen one comes first, so that its handles can be reached.
  const shape = over.findLast((one) => one.isSelected) || over.at(-1);
  if (!shape) return null;
  const part = fadeUnder(row, shape, x, y) || curveUnder(model, row, shape, x, y);
  if (part) return part;
  const inside = x - shape.x;
  if (shape.w > 14 && inside < EDGE_PX) return { kind: "trim-start", row, shape };
  if (shape.w > 14 && shape.w - inside < EDGE_PX) return { kind: "trim-end", row, shape };
  return { kind: "clip", row, shape };
}

export function paintClip(context, shape, { row, scene, model, theme, waves, colour, alpha }) {
  const { clip, x, w, y, h } = shape;
  const left = Math.max(0, x);
  const right = Math.min(scene.width, x + w);
  context.globalAlpha = alpha * (shape.isSelected ? 1 : 0.82);
  context.fillStyle = theme.raised;
  context.fillRect(left, y + 1, right - left, h - 2);
  const source = model.state.sources[clip.source];
  if (source && w >= 2 && h >= 16) {
    context.globalAlpha = alpha * 0.85;
    context.fillStyle = colour;
    const from = clip.in + (left - x) * scene.samplesPerPixel;
    const gain = 10 ** (clip.gain_db / 20);
    const box = { from, samplesPerPixel: scene.samplesPerPixel, left, right, zoom: model.zoom * gain };
    const lanes = model.isSplit ? Math.min(2, source.n_channels) : 1;
    const head = h > 40 && w > SMALLEST_NAMED ? 14 : 3;
    const room = (h - head - 3) / lanes;
    for (let lane = 0; lane < lanes; lane += 1)
      drawOutline(context, waves, source, {
        ...box,
        top: y + head + lane * room,
        height: room,
        channel: lanes > 1 ? lane : null,
      });
  }
  context.globalAlpha = alpha;
  if (shape.isOut) paintOut(context, { left, right, y, h }, colour, theme);
  paintFades(context, shape, theme);
  if (shape.curve?.length || (model.isCurves && shape.isSelected)) paintCurve(context, shape, row, theme);
  if (h > 30 && !paintNameBeside(context, shape, row, theme, colour) && w > SMALLEST_NAMED)
    paintName(context, shape, theme, colour);
  context.strokeStyle = shape.isSelected ? theme.ink : colour;
  context.globalAlpha = alpha * (shape.isSelected ? 1 : 0.55);
  context.lineWidth = shape.isSelected ? 2 : 1;
  context.strokeRect(left + 0.5, y + 1.5, Math.max(1, right - left - 1), h - 3);
  context.globalAlpha = 1;
}

// Out of the mix: hatched, and struck through once.
function paintOut(context, { left, right, y, h }, colour, theme) {
  context.fillStyle = hatch(context, colour);
  context.fillRect(left, y + 1, right - left, h - 2);
  context.strokeStyle = theme.soft;
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(left, y + h / 2 + 0.5);
  context.lineTo(right, y + h / 2 + 0.5);
  context.stroke();
}

function paintName(context, shape, theme, colour) {
  const { clip, x, w, y } = shape;
  const textX = Math.max(0, x) + 6;
  context.save();
  context.beginPath();
  context.rect(Math.max(0, x), y, w - Math.max(0, -x) - 4, 16);
  context.clip();
  context.font = TEXT;
  context.fillStyle = colour;
  const group = clip.group && !IS_NUMBER.test(clip.group) ? `• ${clip.group}: ` : clip.group ? "• " : "";
  const words = `${group}${clip.name}`;
  context.fillText(words, textX, y + 13);
  const after = textX + context.measureText(words).width + 6;
  const notes = [];
  if (clip.takes) notes.push(`take ${clip.take + 1} of ${clip.takes.length}`);
  if (shape.isOut) notes.push("out of the mix");
  if (clip.gain_db) notes.push(gainText(clip.gain_db));
  if (clip.routing)
    notes.push({ first: "left only", second: "right only", sum: "mono", swapped: "sides swapped" }[clip.routing]);
  if (clip.mended?.length) notes.push("✓ mended");
  if (clip.sync === "") notes.push("tied");
  context.font = MONO;
  context.fillStyle = theme.soft;
  context.fillText(notes.join(" · "), after, y + 13);
  if (clip.sync) {
    const width = notes.length ? context.measureText(`${notes.join(" · ")} `).width : 0;
    context.fillStyle = theme.over;
    context.fillText(`▲ ${clip.sync}`, after + width, y + 13);
  }
  context.restore();
}

// A clip too short for its name has it behind itself, where there is more room before the next one; whether it has.
function paintNameBeside(context, shape, row, theme, colour) {
  const { clip, x, w, y } = shape;
  context.save();
  context.font = TEXT;
  const wanted = context.measureText(clip.name).width + 8;
  const next = row.clips[row.clips.indexOf(shape) + 1];
  const room = Math.min(wanted, (next ? next.x : x + w + wanted) - x - w - 4);
  const isBeside = x + w > 0 && w < wanted && room > Math.max(w, SMALLEST_NAMED);
  if (isBeside) {
    context.beginPath();
    context.rect(x + w + 2, y, room, 16);
    context.clip();
    context.fillStyle = colour;
    context.fillText(clip.name, x + w + 4, y + 13);
  }
  context.restore();
  return isBeside;
}

export function paintOverlaps(context, row, theme) {
  row.clips.forEach((shape, i) => {
    const next = row.clips[i + 1];
    if (!next || next.x >= shape.x + shape.w) return;
    const right = Math.min(shape.x + shape.w, next.x + next.w);
    context.strokeStyle = theme.ink;
    context.globalAlpha = 0.5;
    context.setLineDash([2, 3]);
    context.strokeRect(next.x + 0.5, row.y + 3.5, right - next.x - 1, row.height - 7);
    context.setLineDash([]);
    context.globalAlpha = 1;
    if (right - next.x > 34) {
      context.font = MONO;
      context.fillStyle = theme.soft;
      const words = { "equal-power": "power", "equal-gain": "gain" }[next.clip.fade_in[1]] || next.clip.fade_in[1];
      context.fillText(`× ${words}`, next.x + 4, row.y + row.height - 6);
    }
  });
}
