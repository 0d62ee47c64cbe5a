// What several marks are drawn with.

export const MONO = '10px "Spline Sans Mono", monospace';
export const TEXT = '600 10.5px "Public Sans", sans-serif';

export function label(context, text, x, y, theme) {
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

export function trace(context, points) {
  context.beginPath();
  points.forEach(([x, y], i) => (i ? context.lineTo(x, y) : context.moveTo(x, y)));
}
