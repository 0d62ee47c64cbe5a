// Canvases at the resolution of the screen, and the colours of the theme in force.

export function themeOf(element) {
  const style = getComputedStyle(element);
  return new Proxy({}, { get: (_, name) => style.getPropertyValue(`--${name}`).trim() });
}

export function fitCanvas(canvas, width, height) {
  const ratio = window.devicePixelRatio || 1;
  const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
  }
  const context = canvas.getContext("2d");
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  return context;
}
