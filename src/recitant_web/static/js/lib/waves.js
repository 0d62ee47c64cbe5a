// Outlines of recordings in tiles, fetched when they are first looked at and kept; and drawing them.
// A piece is the lowest and highest sample of each channel, as the server measured it.

export const LEVELS = [16, 256, 4096, 65536];
const PIECES_PER_TILE = 2048;
const MOST_TILES = 3000;

export class Waves {
  constructor(pattern, onLoad) {
    this.pattern = pattern;
    this.onLoad = onLoad;
    this.tiles = new Map();
    this.queue = [];
    this.loading = 0;
  }

  // The tile, or null while it is on its way.
  tile(key, level, index) {
    const name = `${key}/${level}/${index}`;
    const found = this.tiles.get(name);
    if (found) return found.data;
    if (this.tiles.size > MOST_TILES) for (const old of [...this.tiles.keys()].slice(0, 500)) this.tiles.delete(old);
    const entry = { data: null };
    this.tiles.set(name, entry);
    this.queue.push({ name, entry });
    this.pump();
    return null;
  }

  pump() {
    // What was asked for last is what is looked at now.
    while (this.loading < 4 && this.queue.length) {
      const { name, entry } = this.queue.pop();
      this.loading += 1;
      fetch(this.pattern.replace("KEY/0/0", name))
        .then((response) => (response.ok ? response.arrayBuffer() : new ArrayBuffer(0)))
        .then((buffer) => { entry.data = new Int16Array(buffer); this.onLoad(); })
        .catch(() => { this.tiles.delete(name); })
        .finally(() => { this.loading -= 1; this.pump(); });
    }
  }

  // Lowest and highest of the channels from one sample of a recording to another, -32767 to 32767; null while loading.
  extremes(source, level, from, to, channel) {
    const first = Math.max(0, Math.floor(from / level));
    const last = Math.max(first + 1, Math.ceil(to / level));
    const { n_channels: n } = source;
    let low = 0;
    let high = 0;
    for (let piece = first; piece < last; piece += 1) {
      const data = this.tile(source.key, level, Math.floor(piece / PIECES_PER_TILE));
      if (!data) return null;
      const at = (piece % PIECES_PER_TILE) * n * 2;
      for (let c = channel === null ? 0 : channel; c < (channel === null ? n : channel + 1); c += 1) {
        if (data[at + c * 2] < low) low = data[at + c * 2];
        if (data[at + c * 2 + 1] > high) high = data[at + c * 2 + 1];
      }
    }
    return [low, high];
  }
}

export function levelFor(samplesPerPixel) {
  let level = LEVELS[0];
  for (const candidate of LEVELS) if (candidate <= samplesPerPixel * 1.5) level = candidate;
  return level;
}

// One channel (or all, when null) of a stretch of a recording into a box; fillStyle is the caller's.
export function drawOutline(context, waves, source, { from, samplesPerPixel, left, right, top, height, channel = null, zoom = 1 }) {
  const level = levelFor(samplesPerPixel);
  const middle = top + height / 2;
  const scale = (height / 2 / 32767) * zoom;
  context.beginPath();
  for (let x = Math.floor(left); x < right; x += 1) {
    const begin = from + (x - left) * samplesPerPixel;
    const found = waves.extremes(source, level, begin, begin + samplesPerPixel, channel);
    if (!found) continue;
    const high = Math.min(height / 2, found[1] * scale);
    const low = Math.max(-height / 2, found[0] * scale);
    context.rect(x, middle - high, 1, Math.max(1, high - low));
  }
  context.fill();
}
