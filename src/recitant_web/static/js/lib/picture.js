// The picture, kept in step with the playhead: played along, corrected by rate when it drifts, set anew when far off.

import { RATE_HZ } from "./units.js";

const FAR_S = 0.2;
const MOST_KEPT = 40000;
const MOST_CORRECTION = 0.3; // of the speed, while catching up
const START_S = 0.01; // a video needs a moment to move
const STEADY_S = 0.006;

export class Picture {
  constructor(video, { rateHz }) {
    this.video = video;
    this.frameS = 1 / rateHz;
    this.offsS = []; // how far the picture was from the sound, a value a frame
  }

  // isSounding: whether the programme is heard already; until then the picture waits for the sound.
  follow(sample, isSounding, rate) {
    const { video } = this;
    if (!video.duration) return;
    const wanted = Math.min(sample / RATE_HZ, video.duration - this.frameS / 2);
    if (!isSounding || rate !== 1) {
      if (!video.paused) video.pause();
      // The middle of the frame that holds this sample: never the one before by a rounding.
      const middle = (Math.floor(wanted / this.frameS + 1e-6) + 0.5) * this.frameS;
      if (Math.abs(video.currentTime - middle) > this.frameS / 4 && !video.seeking) video.currentTime = middle;
      return;
    }
    if (video.paused) {
      delete video.dataset.isSteady;
      if (!video.seeking) video.currentTime = wanted + START_S;
      video.play().catch(() => {});
      return;
    }
    const off = wanted - video.currentTime;
    if (Math.abs(off) > FAR_S) {
      if (!video.seeking) video.currentTime = wanted + 0.03;
      return;
    }
    // The audio clock moves in steps; what counts is where it stands in the middle.
    this.smoothS = video.dataset.isSteady ? this.smoothS * 0.85 + off * 0.15 : off;
    video.dataset.isSteady = "1";
    const correction = Math.abs(this.smoothS) < STEADY_S ? 0 : this.smoothS * 2;
    const rateNow = 1 + Math.max(-MOST_CORRECTION, Math.min(MOST_CORRECTION, correction));
    if (Math.abs(rateNow - video.playbackRate) > 0.01) video.playbackRate = rateNow;
    this.offsS.push(off);
    if (this.offsS.length > MOST_KEPT) this.offsS.shift();
    video.dataset.offMs = (off * 1000).toFixed(1);
  }
}
