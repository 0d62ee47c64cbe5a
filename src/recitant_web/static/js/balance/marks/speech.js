// A stretch of speech, at the foot of a stave that people speak on.

import { GUTTER_WIDTH, xOf } from "../scale.js";

export const SPEECH_HEIGHT = 9;
const EDGE_PX = 5;

export function shapesOfSpeech(model, stave, width) {
  const mine = new Set(stave.clips.map((clip) => clip.id));
  const drag = model.drag && model.drag.target === "speech" ? model.drag : null;
  const { view } = model;
  const heard = model.state.speech.filter((row) => mine.has(row.id));
  const spans = heard.flatMap((row) =>
    row.spans
      .filter(([start, length]) => start < view.end && start + length > view.start)
      .map(([start, length, confidence]) => ({ from: start, to: start + length, confidence, clipId: row.id })),
  );
  if (drag && drag.was)
    spans.forEach((s) => {
      if (s.clipId === drag.clipId && s.from === drag.was.from) {
        s.from = drag.from;
        s.to = drag.to;
      }
    });
  if (drag && !drag.was && mine.has(drag.clipId))
    spans.push({ from: drag.from, to: drag.to, confidence: 1, clipId: drag.clipId });
  const chosen = model.selectedSpeech;
  return spans
    .map((s) => {
      const x = Math.max(GUTTER_WIDTH, xOf(s.from, model.view, width));
      return {
        ...s,
        x,
        width: Math.max(2, xOf(s.to, model.view, width) - x),
        isSelected: Boolean(chosen && chosen.clipId === s.clipId && chosen.from === s.from),
      };
    })
    .filter((s) => s.x + s.width > GUTTER_WIDTH && s.x < width);
}

// An edge, a stretch, or the clip in which there is none; null where the pointer is not at the foot of such a stave.
export function speechUnder(row, x, y) {
  if (!row.isSpeech || y < row.speechTop - 3) return null;
  const edge = row.speech
    .flatMap((s) => [
      { s, side: "from", x: s.x },
      { s, side: "to", x: s.x + s.width },
    ])
    .find((e) => Math.abs(e.x - x) <= EDGE_PX);
  if (edge) return { kind: "speech-edge", row, span: edge.s, side: edge.side };
  const span = row.speech.find((s) => x >= s.x && x <= s.x + s.width);
  if (span) return { kind: "speech", row, span };
  const clip = row.clips.find((c) => x >= c.x && x <= c.x + c.width);
  return clip ? { kind: "speech-gap", row, clip } : null;
}

export function paintSpeech(context, row, colour, theme, alpha) {
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
