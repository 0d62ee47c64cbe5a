// Plays blocks from the server without a gap, and says where the playhead is and what the meters show.
// The samples are the server's: this only places them in time. A splice after an edit fades over 10 ms.

import { Refusal } from "./api.js";
import { RATE_HZ } from "./units.js";

const FIRST_BLOCK = 0.35;
const BLOCK = 1;
const LEAD_S = 3; // a stall of the server shorter than this is not heard; an edit is spliced in sooner
const SPLICE_AHEAD_S = 0.2;
const SPLICE_FADE_S = 0.01;
const START_DELAY_S = 0.05;
const SCRUB_S = 0.12;

export class Player {
  constructor(url, { parameters, length, onFault, loop = () => null, onBlock = () => {} }) {
    this.url = url;
    this.parameters = parameters; // may be a promise
    this.length = length;
    this.onFault = onFault;
    this.onBlock = onBlock; // told the readings of each block that came
    this.loop = loop; // null, or the samples [from, to] that repeat
    this.context = null;
    this.isPlaying = false;
    this.rate = 1; // negative plays backwards
    this.startingRate = 0; // while the sound card wakes up: what will play
    this.restSample = 0;
    this.generation = 0;
    this.blocks = [];
    this.readings = [];
  }

  async wake() {
    this.context ||= new AudioContext({ sampleRate: RATE_HZ, latencyHint: "interactive" });
    await this.context.resume();
  }

  async play(rate = 1) {
    if (this.isPlaying && rate === this.rate) return;
    if (this.isPlaying) this.stop();
    const mine = (this.starting = (this.starting || 0) + 1);
    this.startingRate = rate;
    await this.wake();
    if (mine !== this.starting || this.isPlaying) return;
    this.startingRate = 0;
    this.rate = rate;
    if (rate > 0 && this.restSample >= this.length() - 1) this.restSample = 0;
    this.isPlaying = true;
    this.generation += 1;
    this.nextSample = this.restSample;
    this.nextTime = null;
    this.isFetching = false;
    this.timer = setInterval(() => this.pump(), 60);
    this.pump();
  }

  stop() {
    this.starting = (this.starting || 0) + 1;
    this.startingRate = 0;
    if (!this.isPlaying) return;
    this.restSample = this.position();
    this.isPlaying = false;
    this.generation += 1;
    clearInterval(this.timer);
    for (const block of this.blocks) block.source.stop();
    this.blocks = [];
    this.readings = [];
    this.isFetching = false;
  }

  seek(sample) {
    const rate = this.isPlaying ? this.rate : this.startingRate;
    this.stop();
    this.restSample = Math.round(Math.min(Math.max(0, sample), Math.max(0, this.length() - 1)));
    if (rate) this.play(rate);
  }

  // A short taste of what lies here, for dragging along the ruler.
  async scrub(sample) {
    this.stop();
    this.restSample = Math.round(Math.min(Math.max(0, sample), Math.max(0, this.length() - 1)));
    if (this.isScrubbing) return;
    this.isScrubbing = true;
    await this.wake();
    const fetched = await this.fetchBlock(this.restSample, SCRUB_S);
    this.isScrubbing = false;
    if (!fetched || this.isPlaying) return;
    const source = this.context.createBufferSource();
    source.buffer = fetched.buffer;
    source.connect(this.context.destination);
    source.start();
  }

  // The sample under the playhead.
  position() {
    if (!this.isPlaying || !this.context) return this.restSample;
    const now = this.context.currentTime;
    const sounding = this.blocks.filter((block) => block.time <= now).at(-1);
    if (!sounding) return this.restSample;
    const along = Math.min(now - sounding.time, sounding.duration) * RATE_HZ * sounding.rate;
    return Math.min(this.length(), Math.max(0, Math.round(sounding.start + along)));
  }

  // Whether it plays or is about to: a seek stops for a moment and begins elsewhere.
  get isOn() {
    return this.isPlaying || this.startingRate !== 0;
  }

  get isSounding() {
    return this.isPlaying && this.blocks.some((block) => block.time <= this.context.currentTime);
  }

  // What the meters show now; null while nothing sounds.
  reading() {
    if (!this.isPlaying || !this.context) return null;
    const now = this.context.currentTime;
    while (this.readings.length > 1 && this.readings[1].time <= now) this.readings.shift();
    return this.readings.length && this.readings[0].time <= now ? this.readings[0] : null;
  }

  // The mix changed: what comes from the next fifth of a second on is fetched anew and spliced in.
  async refresh() {
    if (!this.isPlaying || this.nextTime === null) return;
    if (this.rate !== 1) {
      this.seek(this.position());
      return;
    }
    this.generation += 1;
    const mine = this.generation;
    this.isFetching = true;
    const spliceTime = this.context.currentTime + SPLICE_AHEAD_S;
    const sounding = this.blocks.filter((block) => block.time <= spliceTime).at(-1);
    if (!sounding) {
      this.isFetching = false;
      return;
    }
    const start = Math.round(sounding.start + (spliceTime - sounding.time) * RATE_HZ);
    const exactTime = sounding.time + (start - sounding.start) / RATE_HZ;
    const end = this.endFor(start);
    if (start >= end) {
      this.isFetching = false;
      return;
    }
    const fetched = await this.fetchBlock(start, Math.min(BLOCK, (end - start) / RATE_HZ));
    if (!fetched || mine !== this.generation) return;
    const now = this.context.currentTime;
    const late = Math.max(0, now + 0.02 - exactTime);
    if (late > fetched.buffer.duration - 0.1) {
      this.isFetching = false;
      this.seek(this.position());
      return;
    }
    const at = exactTime + late;
    for (const block of this.blocks) {
      if (block.time + block.duration <= at) continue;
      block.gain.gain.setValueAtTime(1, Math.max(now, at));
      block.gain.gain.linearRampToValueAtTime(0, at + SPLICE_FADE_S);
      block.source.stop(Math.max(at + SPLICE_FADE_S, block.time));
    }
    this.blocks = this.blocks.filter((block) => block.time < at);
    this.readings = this.readings.filter((reading) => reading.time < at);
    this.place(fetched, exactTime, late, SPLICE_FADE_S);
    this.nextSample = this.after(start + fetched.buffer.length);
    this.nextTime = exactTime + fetched.buffer.length / RATE_HZ;
    this.isFetching = false;
  }

  // Where playing forward from a place ends: at the end of what repeats, or of everything.
  endFor(sample) {
    const loop = this.loop();
    return loop && sample < loop[1] ? Math.min(loop[1], this.length()) : this.length();
  }

  after(sample) {
    const loop = this.loop();
    return loop && sample === Math.min(loop[1], this.length()) ? loop[0] : sample;
  }

  async pump() {
    if (!this.isPlaying) return;
    const now = this.context.currentTime;
    this.blocks = this.blocks.filter((block) => block.time + block.duration > now - 1);
    const isBack = this.rate < 0;
    if (isBack ? this.nextSample <= 0 : this.nextSample >= this.length()) {
      if (this.nextTime !== null && now >= this.nextTime) {
        this.stop();
        this.restSample = isBack ? 0 : this.length();
      }
      return;
    }
    if (this.isFetching || (this.nextTime !== null && this.nextTime - now > LEAD_S)) return;
    this.isFetching = true;
    const mine = this.generation;
    const speed = Math.abs(this.rate);
    const wanted = (this.nextTime === null ? FIRST_BLOCK : BLOCK) * Math.min(speed, 4);
    const room = isBack ? this.nextSample : this.endFor(this.nextSample) - this.nextSample;
    const seconds = Math.min(wanted, room / RATE_HZ);
    const from = isBack ? Math.max(0, Math.round(this.nextSample - seconds * RATE_HZ)) : this.nextSample;
    const fetched = await this.fetchBlock(from, seconds);
    if (mine !== this.generation) return;
    this.isFetching = false;
    if (!fetched) return;
    const earliest = this.context.currentTime + START_DELAY_S;
    // A late block delays playback; no sample is skipped.
    if (this.nextTime === null || this.nextTime < earliest - START_DELAY_S + 0.005) this.nextTime = earliest;
    this.place(fetched, this.nextTime, 0, 0);
    this.nextSample = isBack ? from : this.after(this.nextSample + fetched.buffer.length);
    this.nextTime += fetched.buffer.length / RATE_HZ / speed;
    this.pump();
  }

  async fetchBlock(start, seconds) {
    const length = Math.min(Math.round(seconds * RATE_HZ), this.length() - start);
    try {
      const query = new URLSearchParams({ start, length, ...(await this.parameters()) });
      const response = await fetch(`${this.url}?${query}`, { headers: { Accept: "application/json" } });
      if (!response.ok) {
        this.stop();
        this.onFault((await response.json()).sentence);
        return null;
      }
      const readings = JSON.parse(response.headers.get("Recitant-Readings"));
      this.onBlock(readings);
      const buffer = await this.context.decodeAudioData(await response.arrayBuffer());
      return { start, buffer, readings };
    } catch (error) {
      this.stop();
      const words = "The sound did not arrive. Check that Recitant still runs, then press play again.";
      this.onFault(error instanceof Refusal ? error.message : words);
      return null;
    }
  }

  place({ start, buffer, readings }, time, offset, fadeIn) {
    const { rate } = this;
    const speed = Math.abs(rate);
    const gain = this.context.createGain();
    const source = this.context.createBufferSource();
    if (rate < 0) for (let c = 0; c < buffer.numberOfChannels; c += 1) buffer.getChannelData(c).reverse();
    source.buffer = buffer;
    source.playbackRate.value = speed;
    source.connect(gain);
    gain.connect(this.context.destination);
    if (fadeIn) {
      gain.gain.setValueAtTime(0, time + offset);
      gain.gain.linearRampToValueAtTime(1, time + offset + fadeIn);
    }
    source.start(time + offset, offset);
    const first = rate < 0 ? start + buffer.length : start + offset * RATE_HZ;
    this.blocks.push({
      source,
      gain,
      rate,
      time: time + offset,
      duration: (buffer.duration - offset) / speed,
      start: first,
    });
    if (rate !== 1) return;
    const { step_samples: step, stem_step_samples: stemStep } = readings;
    readings.momentary.forEach((momentary, i) => {
      const at = time + (i * step) / RATE_HZ;
      if (at >= time + offset)
        this.readings.push({
          time: at,
          momentary,
          shortTerm: readings.short_term[i],
          peaks: readings.peaks[i],
          quasi: readings.quasi[i],
          truePeak: readings.true_peaks[i],
          correlation: readings.correlation[i],
          stems: stemsAt(readings.stems, Math.floor((i * step) / stemStep)),
          sample: start + i * step,
          isExact: readings.is_exact,
        });
    });
  }
}

function stemsAt(stems, index) {
  return stems && Object.fromEntries(Object.entries(stems).map(([role, tenths]) => [role, tenths[index] ?? -1000]));
}
