// Shapes to ink. Decides nothing: positions come from layout.js, colours from tokens.css.

import { clock, gainText, timecode } from "../lib/units.js";
import { drawOutline } from "../lib/waves.js";
import { curveY, RULER, xOf } from "./layout.js";

const MONO = '10px "Spline Sans Mono", monospace';
const TEXT = '600 10.5px "Public Sans", sans-serif';
const SMALLEST_NAMED = 30;

export function paintScene(context, scene, model, theme, waves, quiet) {
  const { width, height } = scene;
  context.fillStyle = theme.paper;
  context.fillRect(0, 0, width, height);
  if (model.range) paintRange(context, scene, model, theme);
  for (const row of scene.rows) {
    context.fillStyle = theme.sheet;
    context.globalAlpha = model.range ? 0.75 : 1;
    context.fillRect(0, row.y, width, row.height);
    context.globalAlpha = 1;
    if (row.track.id === model.track) {
      context.fillStyle = theme.rule;
      context.fillRect(0, row.y + row.height - 1, width, 1);
    }
  }
  for (const tick of scene.ticks) {
    context.fillStyle = theme.rule;
    context.fillRect(tick.x, RULER, 1, height);
  }
  for (const row of scene.rows) {
    context.save();
    context.beginPath();
    context.rect(0, Math.max(RULER, row.y), width, row.height);
    context.clip();
    const alpha = quiet.has(row.track.id) ? 0.35 : 1;
    const colour = theme[row.track.role];
    for (const shape of row.clips) paintClip(context, shape, { row, scene, model, theme, waves, colour, alpha });
    paintOverlaps(context, row, theme);
    context.restore();
  }
  paintRuler(context, scene, model, theme);
  paintGesture(context, scene, model, theme);
}

function paintClip(context, shape, { row, scene, model, theme, waves, colour, alpha }) {
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
  paintFades(context, shape, theme);
  if (shape.curve?.length || (model.isCurves && shape.isSelected)) paintCurve(context, shape, row, theme);
  if (w > SMALLEST_NAMED && h > 30) paintName(context, shape, theme, colour);
  context.strokeStyle = shape.isSelected ? theme.ink : colour;
  context.globalAlpha = alpha * (shape.isSelected ? 1 : 0.55);
  context.lineWidth = shape.isSelected ? 2 : 1;
  context.strokeRect(left + 0.5, y + 1.5, Math.max(1, right - left - 1), h - 3);
  context.globalAlpha = 1;
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
  const words = clip.group ? `• ${clip.name}` : clip.name;
  context.fillText(words, textX, y + 13);
  const after = textX + context.measureText(words).width + 6;
  const notes = [];
  if (clip.gain_db) notes.push(gainText(clip.gain_db));
  if (clip.routing)
    notes.push({ first: "left only", second: "right only", sum: "mono", swapped: "sides swapped" }[clip.routing]);
  if (clip.mended?.length) notes.push("✓ mended");
  context.font = MONO;
  context.fillStyle = theme.soft;
  context.fillText(notes.join(" · "), after, y + 13);
  context.restore();
}

function paintFades(context, shape, theme) {
  const { x, w, y, h, fadeIn, fadeOut } = shape;
  context.fillStyle = theme.paper;
  context.strokeStyle = theme.soft;
  context.lineWidth = 1;
  for (const [length, isIn] of [
    [fadeIn, true],
    [fadeOut, false],
  ]) {
    if (length < 2) continue;
    const edge = isIn ? x : x + w;
    const inner = isIn ? x + length : x + w - length;
    const kind = isIn ? shape.clip.fade_in[1] : shape.clip.fade_out[1];
    const bend = { "equal-power": 0.3, "equal-gain": 0, smooth: 0 }[kind];
    context.globalAlpha *= 0.7;
    context.beginPath();
    context.moveTo(edge, y + 1);
    context.lineTo(inner, y + 1);
    const middle = (edge + inner) / 2;
    const draw = () =>
      kind === "smooth"
        ? context.bezierCurveTo(middle, y + 1, middle, y + h - 1, edge, y + h - 1)
        : context.quadraticCurveTo(middle + (edge - middle) * bend, y + h / 2 - h * bend, edge, y + h - 1);
    draw();
    context.fill();
    context.globalAlpha /= 0.7;
    context.beginPath();
    context.moveTo(inner, y + 1);
    draw();
    context.stroke();
  }
  if (shape.isSelected && w > 24) {
    context.fillStyle = theme.ink;
    for (const at of [x + fadeIn, x + w - fadeOut]) {
      context.beginPath();
      context.arc(Math.min(Math.max(at, x + 4), x + w - 4), y + 6, 3.5, 0, 7);
      context.fill();
    }
  }
}

function paintCurve(context, shape, row, theme) {
  const points = shape.curve || [];
  const unity = curveY(0, row);
  context.strokeStyle = theme.brass;
  context.lineWidth = 1.6;
  context.beginPath();
  context.moveTo(shape.x, points.length ? points[0].y : unity);
  for (const point of points) context.lineTo(point.x, point.y);
  context.lineTo(shape.x + shape.w, points.length ? points.at(-1).y : unity);
  context.stroke();
  context.fillStyle = theme.raised;
  for (const point of points) {
    context.beginPath();
    context.arc(point.x, point.y, 3.5, 0, 7);
    context.fill();
    context.stroke();
  }
}

function paintOverlaps(context, row, theme) {
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
      const words = { "equal-power": "power", "equal-gain": "gain", smooth: "smooth" }[next.clip.fade_in[1]];
      context.fillText(`× ${words}`, next.x + 4, row.y + row.height - 6);
    }
  });
}

function paintRange(context, scene, model, theme) {
  const [a, b] = model.range.map((at) => xOf(at, model.view, scene.width));
  context.fillStyle = theme.band;
  context.fillRect(a, 0, b - a, scene.height);
}

function paintRuler(context, scene, model, theme) {
  context.fillStyle = theme.sheet;
  context.fillRect(0, 0, scene.width, RULER);
  if (model.range) {
    const [a, b] = model.range.map((at) => xOf(at, model.view, scene.width));
    context.fillStyle = theme.within;
    context.fillRect(a, 0, Math.max(2, b - a), model.isLooping ? 4 : 2);
  }
  context.fillStyle = theme.edge;
  context.fillRect(0, RULER - 1, scene.width, 1);
  context.font = MONO;
  const isFine = scene.ticks.length > 1 && scene.ticks[1].sample - scene.ticks[0].sample < 48000;
  for (const tick of scene.ticks) {
    context.fillStyle = theme.edge;
    context.fillRect(tick.x, 4, 1, RULER - 5);
    context.fillStyle = theme.soft;
    context.fillText(isFine ? timecode(tick.sample, model.state.frame_rate) : clock(tick.sample), tick.x + 4, 14);
  }
  for (const marker of model.state.markers) {
    const x = xOf(marker.at_sample, model.view, scene.width);
    if (x < -100 || x > scene.width) continue;
    context.fillStyle = marker.kind === "chapter" ? theme.within : marker.kind === "sync" ? theme.over : theme.brass;
    context.fillRect(x - 0.75, RULER - 14, 1.5, scene.height);
    context.beginPath();
    if (marker.kind === "sync") {
      context.moveTo(x - 5, RULER - 9);
      context.lineTo(x, RULER - 15);
      context.lineTo(x + 5, RULER - 9);
      context.lineTo(x, RULER - 3);
    } else if (marker.kind === "chapter") context.rect(x, RULER - 15, 8, 8);
    else context.arc(x, RULER - 9, 4.5, 0, 7);
    context.fill();
    context.font = TEXT;
    if (marker.text) context.fillText(marker.text.slice(0, 30), x + 10, RULER - 6);
    context.font = MONO;
  }
}

function paintGesture(context, scene, model, theme) {
  const { gesture } = model;
  if (!gesture) return;
  if (gesture.box) {
    const { left, top, right, bottom } = gesture.box;
    context.strokeStyle = theme.ink;
    context.setLineDash([4, 3]);
    context.strokeRect(left + 0.5, top + 0.5, right - left, bottom - top);
    context.setLineDash([]);
  }
  if (gesture.snapAt !== null && gesture.snapAt !== undefined) {
    const x = xOf(gesture.snapAt, model.view, scene.width);
    context.fillStyle = theme.within;
    context.fillRect(x - 0.5, RULER, 1.5, scene.height);
  }
  if (gesture.words) {
    context.font = '600 11px "Spline Sans Mono", monospace';
    const w = context.measureText(gesture.words).width + 14;
    const x = Math.min(scene.width - w - 4, Math.max(4, gesture.x + 12));
    const y = Math.max(RULER + 4, gesture.y - 28);
    context.fillStyle = theme.ink;
    context.beginPath();
    context.roundRect(x, y, w, 20, 4);
    context.fill();
    context.fillStyle = theme["on-ink"];
    context.fillText(gesture.words, x + 7, y + 14);
  }
}
