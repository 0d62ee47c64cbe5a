// Outlines of recordings in tiles, fetched when they are first looked at and kept; and drawing them.
// A piece is the lowest and highest sample of each channel, as the server measured it.

const LEVELS = [16, 256, 4096, 65536];
const PIECES_PER_TILE = 2048;
const MOST_TILES = 3000;

export class Waves {
  constructor(pattern, onLoad) {
    this.pattern = pattern;
    this.onLoad = onLoad;
    this.rows = new Map();
    this.queue = [];
    this.loading = 0;
    this.kept = 0;
  }

  // The tiles of a recording at a level, by index: an outline, or undefined where nobody asked yet, or null on its way.
  row(key, level) {
    const name = `${key}/${level}`;
    let row = this.rows.get(name);
    if (!row) {
      row = { name, tiles: [] };
      this.rows.set(name, row);
    }
    return row;
  }

  ask(row, index) {
    row.tiles[index] = null;
    this.queue.push({ row, index });
    this.pump();
  }

  pump() {
    // What was asked for last is what is looked at now.
    while (this.loading < 4 && this.queue.length) {
      const { row, index } = this.queue.pop();
      this.loading += 1;
      fetch(this.pattern.replace("KEY/0/0", `${row.name}/${index}`))
        .then((response) => (response.ok ? response.arrayBuffer() : new ArrayBuffer(0)))
        .then((buffer) => {
          row.tiles[index] = new Int16Array(buffer);
          this.kept += 1;
          this.forget();
          this.onLoad();
        })
        .catch(() => {
          row.tiles[index] = undefined;
        })
        .finally(() => {
          this.loading -= 1;
          this.pump();
        });
    }
  }

  forget() {
    if (this.kept < MOST_TILES) return;
    for (const [name, row] of this.rows) {
      this.kept -= row.tiles.filter(Boolean).length;
      this.rows.delete(name);
      if (this.kept < MOST_TILES / 2) return;
    }
  }
}

export function levelFor(samplesPerPixel) {
  let level = LEVELS[0];
  for (const candidate of LEVELS) if (candidate <= samplesPerPixel * 1.5) level = candidate;
  return level;
}

// One channel (or all, when null) of a stretch of a recording into a box; fillStyle is the caller's.
export function drawOutline(
  context,
  waves,
  source,
  { from, samplesPerPixel, left, right, top, height, channel = null, zoom = 1 },
) {
  const level = levelFor(samplesPerPixel);
  const row = waves.row(source.key, level);
  const n = source.n_channels;
  const [firstChannel, lastChannel] = channel === null ? [0, n] : [channel, channel + 1];
  const half = height / 2;
  const middle = top + half;
  const scale = (half / 32767) * zoom;
  context.beginPath();
  for (let x = Math.floor(left); x < right; x += 1) {
    const begin = from + (x - left) * samplesPerPixel;
    const first = Math.max(0, Math.floor(begin / level));
    const last = Math.max(first + 1, Math.floor((begin + samplesPerPixel) / level));
    let low = 0;
    let high = 0;
    for (let piece = first; piece < last; piece += 1) {
      const index = Math.floor(piece / PIECES_PER_TILE);
      const data = row.tiles[index];
      if (!data) {
        if (data === undefined) waves.ask(row, index);
        continue;
      }
      const at = (piece - index * PIECES_PER_TILE) * n * 2;
      for (let c = firstChannel; c < lastChannel; c += 1) {
        if (data[at + c * 2] < low) low = data[at + c * 2];
        if (data[at + c * 2 + 1] > high) high = data[at + c * 2 + 1];
      }
    }
    const up = Math.min(half, high * scale);
    const down = Math.min(half, -low * scale);
    context.rect(x, middle - up, 1, Math.max(1, up + down));
  }
  context.fill();
}
