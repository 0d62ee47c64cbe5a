// What the page benchmarks run inside the Arrange page.
(() => {
  const { model, moveView, frameTimes, player } = window.arrange;
  const length = () => model.state.length_samples;
  const moves = {
    scroll: (t) => {
      const width = length() / 10;
      const start = (length() - width) * t;
      return { start, end: start + width };
    },
    slide: (t) => {
      const start = length() * 0.1 * t;
      return { start, end: start + length() };
    },
    zoom: (t) => {
      const width = length() * (96000 / length()) ** t;
      const start = Math.max(0, length() * 0.43 - width / 2);
      return { start, end: start + width };
    },
  };
  const frame = () =>
    new Promise((resolve) => {
      requestAnimationFrame(resolve);
    });

  // The first round fetches outlines, the second is counted: what a person sees who looks at the same film for hours.
  async function frames(name) {
    const draws = [];
    for (let round = 0; round < 2; round += 1) {
      frameTimes.length = 0;
      draws.length = 0;
      for (let i = 0; i <= 240; i += 1) {
        moveView(moves[name](i / 240));
        await frame();
        draws.push(Number(document.getElementById("arrange").dataset.drawMs));
      }
    }
    return { frames: frameTimes.slice(5), draws };
  }

  async function edits(count) {
    const { edits: url, csrf } = document.getElementById("arrange").dataset;
    const ids = [...model.clips.keys()];
    const took = [];
    let { revision } = model.state;
    for (let i = 0; i < count; i += 1) {
      const kinds = [
        { kind: "move", ids: [ids[i * 7]], by_samples: 4800 },
        { kind: "level", ids: [ids[i * 5]], by_db: -1 },
        { kind: "trim", id: ids[i * 3], edge: "end", by_samples: -4800 },
        { kind: "undo" },
      ];
      const body = JSON.stringify({ ...kinds[i % 4], revision });
      const began = performance.now();
      const answer = await fetch(url, {
        method: "POST",
        headers: { "Content-Type": "application/json", "X-CSRFToken": csrf },
        body,
      });
      const delta = await answer.json();
      if (!answer.ok) throw new Error(delta.sentence);
      revision = delta.revision;
      took.push(performance.now() - began);
    }
    return took;
  }

  const offsets = () => window.arrange.picture().offsS;
  window.measure = { frames, edits, offsets, player };
})();
