// The picture, kept in step with the playhead: played along, corrected by rate when it drifts, set anew when far off.

const FAR_S = 0.2;
const GENTLE = 0.06;

export class Picture {
  constructor(video, { rateHz }) {
    this.video = video;
    this.frameS = 1 / rateHz;
    this.worstS = 0;
    this.shownS = null;
    const look = (_now, frame) => {
      this.shownS = frame.mediaTime;
      this.shownAt = frame.expectedDisplayTime;
      this.video.requestVideoFrameCallback(look);
    };
    if (video.requestVideoFrameCallback) video.requestVideoFrameCallback(look);
  }

  follow(sample, isPlaying, rate) {
    const { video } = this;
    if (!video.duration) return;
    const wanted = Math.min(sample / 48000, video.duration - this.frameS / 2);
    if (!isPlaying || rate !== 1) {
      if (!video.paused) video.pause();
      // The middle of the frame that holds this sample: never the one before by a rounding.
      const middle = (Math.floor(wanted / this.frameS + 1e-6) + 0.5) * this.frameS;
      if (Math.abs(video.currentTime - middle) > this.frameS / 4 && !video.seeking) video.currentTime = middle;
      return;
    }
    if (video.paused) {
      if (!video.seeking) video.currentTime = wanted;
      video.play().catch(() => {});
      return;
    }
    const off = wanted - video.currentTime;
    if (Math.abs(off) > FAR_S) { if (!video.seeking) video.currentTime = wanted + 0.03; return; }
    video.playbackRate = Math.abs(off) < this.frameS / 8 ? 1 : 1 + Math.max(-GENTLE, Math.min(GENTLE, off * 1.5));
    this.worstS = Math.max(this.worstS * 0.99, Math.abs(off));
    video.dataset.offMs = (off * 1000).toFixed(1);
  }
}
