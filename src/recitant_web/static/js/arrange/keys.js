// The keys of the Arrange page. Ours: letters say what happens where the playhead stands.

export const keysOf = (actions) => [
  {
    title: "Playing",
    rows: [
      { shown: "space", words: "play, stop", keys: { " ": actions.playOrStop } },
      { shown: "l", words: "forward, again for faster", keys: { l: () => actions.shuttle(1) } },
      { shown: "j", words: "backward, again for faster", keys: { j: () => actions.shuttle(-1) } },
      { shown: "k", words: "stop", keys: { k: actions.stop } },
      {
        shown: ", .",
        words: "playhead by a frame",
        keys: { ",": () => actions.step(-1, true), ".": () => actions.step(1, true) },
      },
      {
        shown: "< >",
        words: "playhead by a second",
        keys: { "<": () => actions.step(-1), ">": () => actions.step(1) },
      },
      { shown: "home end", words: "to the start, to the end", keys: { Home: actions.toStart, End: actions.toEnd } },
      {
        shown: "i o",
        words: "range from here, range to here",
        keys: { i: () => actions.markRange(0), o: () => actions.markRange(1) },
      },
      { shown: "r", words: "repeat the range", keys: { r: actions.loop } },
      { shown: "u", words: "no range", keys: { u: actions.noRange } },
      { shown: "t", words: "type a timecode", keys: { t: actions.typeTimecode } },
    ],
  },
  {
    title: "Choosing",
    rows: [
      {
        shown: "[ ]",
        words: "clip before, clip after",
        keys: { "[": () => actions.neighbour(-1), "]": () => actions.neighbour(1) },
      },
      {
        shown: "w s",
        words: "track above, track below",
        keys: { w: () => actions.chooseTrack(-1), s: () => actions.chooseTrack(1) },
      },
      { shown: "shift click", words: "all between" },
      { shown: "ctrl click", words: "one more, one less" },
      { shown: "ctrl a", words: "every clip", keys: { "ctrl+a": actions.selectAll } },
      { shown: "y", words: "every clip of this track", keys: { y: actions.selectTrack } },
      {
        shown: "e shift e",
        words: "all behind the playhead, here or on all tracks",
        keys: { e: () => actions.selectBehind(false), E: () => actions.selectBehind(true) },
      },
      { shown: "shift y", words: "every clip of this role", keys: { Y: actions.selectRole } },
      { shown: "esc", words: "none", keys: { Escape: actions.escape } },
    ],
  },
  {
    title: "Changing",
    rows: [
      {
        shown: "← →",
        words: "move by a frame",
        keys: { ArrowLeft: () => actions.nudgeFrames(-1), ArrowRight: () => actions.nudgeFrames(1) },
      },
      {
        shown: "alt ← →",
        words: "move by a millisecond",
        keys: { "alt+ArrowLeft": () => actions.nudgeMs(-1), "alt+ArrowRight": () => actions.nudgeMs(1) },
      },
      {
        shown: "alt ↑ ↓",
        words: "move to the track above, below",
        keys: { "alt+ArrowUp": () => actions.toTrack(-1), "alt+ArrowDown": () => actions.toTrack(1) },
      },
      { shown: "p", words: "put on a track: its number, or from a list", keys: { p: actions.askTrack } },
      { shown: "x", words: "out of the mix, in the mix", keys: { x: actions.toggleOut } },
      {
        shown: "a shift a",
        words: "next take, take before",
        keys: { a: () => actions.nextTake(1), A: () => actions.nextTake(-1) },
      },
      {
        shown: "q shift q",
        words: "close the gap on all tracks, on this one",
        keys: { q: () => actions.closeGap({ everywhere: true }), Q: () => actions.closeGap({ everywhere: false }) },
      },
      {
        shown: "↑ ↓",
        words: "gain by 0.5 dB, with shift 0.1",
        keys: {
          ArrowUp: () => actions.level(0.5),
          ArrowDown: () => actions.level(-0.5),
          "shift+ArrowUp": () => actions.level(0.1),
          "shift+ArrowDown": () => actions.level(-0.1),
        },
      },
      { shown: "/", words: "split at the playhead", keys: { "/": actions.split } },
      {
        shown: "( )",
        words: "trim the start, the end to the playhead",
        keys: { "(": () => actions.trimTo("start"), ")": () => actions.trimTo("end") },
      },
      {
        shown: "f shift f",
        words: "fade in to, out from the playhead",
        keys: { f: () => actions.fadeTo("in"), F: () => actions.fadeTo("out") },
      },
      {
        shown: "del",
        words: "delete",
        keys: { Delete: () => actions.remove(false), Backspace: () => actions.remove(false) },
      },
      {
        shown: "shift del",
        words: "delete and close the gap",
        keys: { "shift+Delete": () => actions.remove(true), "shift+Backspace": () => actions.remove(true) },
      },
      {
        shown: "ctrl x c v",
        words: "cut, copy, paste at the playhead",
        keys: { "ctrl+x": actions.cutOut, "ctrl+c": actions.copy, "ctrl+v": actions.paste },
      },
      { shown: "ctrl d", words: "again behind itself", keys: { "ctrl+d": actions.duplicate } },
      { shown: "g", words: "group, ungroup", keys: { g: actions.group } },
      { shown: "c", words: "gain curves", keys: { c: actions.curves } },
      {
        shown: "b shift b",
        words: "room tone in the gap, under all cuts of the track",
        keys: { b: actions.fill, B: () => actions.fillTrack() },
      },
      {
        shown: "ctrl z",
        words: "undo, with shift redo",
        keys: { "ctrl+z": actions.undo, "ctrl+shift+z": actions.redo },
      },
    ],
  },
  {
    title: "Looking",
    rows: [
      {
        shown: "− =",
        words: "more, less time",
        keys: { "-": () => actions.zoom(1.5), "=": () => actions.zoom(1 / 1.5), "+": () => actions.zoom(1 / 1.5) },
      },
      { shown: "0", words: "everything", keys: { 0: actions.whole } },
      { shown: "z", words: "the chosen clips", keys: { z: actions.zoomToSelection } },
      {
        shown: "{ }",
        words: "lower, taller waveforms",
        keys: { "{": () => actions.amplitude(0.5), "}": () => actions.amplitude(2) },
      },
      { shown: "d", words: "both channels", keys: { d: actions.channels } },
      { shown: "n", words: "snapping", keys: { n: actions.snapping } },
      { shown: "m", words: "note here", keys: { m: () => actions.mark("note") } },
      { shown: "shift m", words: "chapter here", keys: { M: () => actions.mark("chapter") } },
      { shown: "alt m", words: "sync point here", keys: { "alt+m": () => actions.mark("sync") } },
      { shown: "?", words: "these keys", keys: { "?": actions.showKeys } },
    ],
  },
];
