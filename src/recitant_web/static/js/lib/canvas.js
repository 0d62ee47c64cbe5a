// Canvases at the resolution of the screen, and the colours of the theme in force.

// Colours by name; each is looked up once a theme, since a picture asks for them hundreds of times.
export function themeOf(element) {
  const style = getComputedStyle(element);
  const known = new Map();
  window.addEventListener("themechange", () => known.clear(), { capture: true });
  return new Proxy(
    {},
    {
      get: (_, name) => {
        if (!known.has(name)) known.set(name, style.getPropertyValue(`--${name}`).trim());
        return known.get(name);
      },
    },
  );
}

// The size of a canvas in CSS pixels, kept up to date: asking the document for it makes it lay everything out.
export function sizeOf(canvas, onChange = () => {}) {
  const size = { width: canvas.clientWidth, height: canvas.clientHeight };
  new ResizeObserver(() => {
    Object.assign(size, { width: canvas.clientWidth, height: canvas.clientHeight });
    onChange();
  }).observe(canvas);
  return size;
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

// Slanting lines of a colour, to fill with.
const hatchings = new Map();
export function hatch(context, colour) {
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

// A colour of a role as a track shows it: its own, lighter, darker, or greyer.
export function shaded(colour, shade, theme) {
  const other = [null, theme.raised, theme.ink, theme.faint][shade];
  return other ? `color-mix(in srgb, ${colour} 66%, ${other})` : colour;
}
