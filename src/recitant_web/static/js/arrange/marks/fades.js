// The fades of a clip, with their handles.

const HANDLE_PX = 9;

export const shapeOfFades = (clip, w) => ({
  fadeIn: (clip.fade_in[0] / clip.length) * w,
  fadeOut: (clip.fade_out[0] / clip.length) * w,
});

export function fadeUnder(row, shape, x, y) {
  const inside = x - shape.x;
  if (shape.w <= 24 || y - shape.y >= HANDLE_PX + 3) return null;
  if (Math.abs(inside - shape.fadeIn) < HANDLE_PX) return { kind: "fade-in", row, shape };
  if (Math.abs(shape.w - inside - shape.fadeOut) < HANDLE_PX) return { kind: "fade-out", row, shape };
  return null;
}

export function paintFades(context, shape, theme) {
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
    const bend = { "equal-power": 0.3, early: 0.5, late: -0.5 }[kind] || 0;
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
