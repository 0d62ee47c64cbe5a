// The shortcuts of the Arrange page. Ours: letters say what happens where the playhead stands.

export const shortcutsOf = (actions) => [
  {
    title: "Playing",
    rows: [
      { shown: "space", words: "play, stop", run: { " ": actions.playOrStop } },
      { shown: "l", words: "forward, again for faster", run: { l: () => actions.shuttle(1) } },
      { shown: "j", words: "backward, again for faster", run: { j: () => actions.shuttle(-1) } },
      { shown: "k", words: "stop", run: { k: actions.stop } },
      {
        shown: ", .",
        words: "playhead by a frame",
        run: { ",": () => actions.step(-1, true), ".": () => actions.step(1, true) },
      },
      { shown: "< >", words: "playhead by a second", run: { "<": () => actions.step(-1), ">": () => actions.step(1) } },
      { shown: "home end", words: "to the start, to the end", run: { Home: actions.toStart, End: actions.toEnd } },
      {
        shown: "i o",
        words: "range from here, range to here",
        run: { i: () => actions.markRange(0), o: () => actions.markRange(1) },
      },
      { shown: "r", words: "repeat the range", run: { r: actions.loop } },
      { shown: "u", words: "no range", run: { u: actions.noRange } },
      { shown: "t", words: "type a timecode", run: { t: actions.typeTimecode } },
    ],
  },
  {
    title: "Choosing",
    rows: [
      {
        shown: "[ ]",
        words: "clip before, clip after",
        run: { "[": () => actions.neighbour(-1), "]": () => actions.neighbour(1) },
      },
      {
        shown: "w s",
        words: "track above, track below",
        run: { w: () => actions.chooseTrack(-1), s: () => actions.chooseTrack(1) },
      },
      { shown: "shift click", words: "all between" },
      { shown: "ctrl click", words: "one more, one less" },
      { shown: "ctrl a", words: "every clip", run: { "ctrl+a": actions.selectAll } },
      { shown: "y", words: "every clip of this track", run: { y: actions.selectTrack } },
      {
        shown: "e shift e",
        words: "all behind the playhead, here or on all tracks",
        run: { e: () => actions.selectBehind(false), E: () => actions.selectBehind(true) },
      },
      { shown: "shift y", words: "every clip of this role", run: { Y: actions.selectRole } },
      { shown: "esc", words: "none", run: { Escape: actions.escape } },
    ],
  },
  {
    title: "Changing",
    rows: [
      {
        shown: "← →",
        words: "move by a frame",
        run: { ArrowLeft: () => actions.nudgeFrames(-1), ArrowRight: () => actions.nudgeFrames(1) },
      },
      {
        shown: "alt ← →",
        words: "move by a millisecond",
        run: { "alt+ArrowLeft": () => actions.nudgeMs(-1), "alt+ArrowRight": () => actions.nudgeMs(1) },
      },
      {
        shown: "alt ↑ ↓",
        words: "move to the track above, below",
        run: { "alt+ArrowUp": () => actions.toTrack(-1), "alt+ArrowDown": () => actions.toTrack(1) },
      },
      { shown: "p", words: "put on a track: its number, or from a list", run: { p: actions.askTrack } },
      { shown: "x", words: "out of the mix, in the mix", run: { x: actions.toggleOut } },
      {
        shown: "a shift a",
        words: "next take, take before",
        run: { a: () => actions.nextTake(1), A: () => actions.nextTake(-1) },
      },
      {
        shown: "q shift q",
        words: "close the gap on all tracks, on this one",
        run: { q: () => actions.closeGap({ everywhere: true }), Q: () => actions.closeGap({ everywhere: false }) },
      },
      {
        shown: "↑ ↓",
        words: "gain by 0.5 dB, with shift 0.1",
        run: {
          ArrowUp: () => actions.level(0.5),
          ArrowDown: () => actions.level(-0.5),
          "shift+ArrowUp": () => actions.level(0.1),
          "shift+ArrowDown": () => actions.level(-0.1),
        },
      },
      { shown: "/", words: "split at the playhead", run: { "/": actions.split } },
      {
        shown: "( )",
        words: "trim the start, the end to the playhead",
        run: { "(": () => actions.trimTo("start"), ")": () => actions.trimTo("end") },
      },
      {
        shown: "f shift f",
        words: "fade in to, out from the playhead",
        run: { f: () => actions.fadeTo("in"), F: () => actions.fadeTo("out") },
      },
      {
        shown: "del",
        words: "delete",
        run: { Delete: () => actions.remove(false), Backspace: () => actions.remove(false) },
      },
      {
        shown: "shift del",
        words: "delete and close the gap",
        run: { "shift+Delete": () => actions.remove(true), "shift+Backspace": () => actions.remove(true) },
      },
      {
        shown: "ctrl x c v",
        words: "cut, copy, paste at the playhead",
        run: { "ctrl+x": actions.cutOut, "ctrl+c": actions.copy, "ctrl+v": actions.paste },
      },
      { shown: "ctrl d", words: "again behind itself", run: { "ctrl+d": actions.duplicate } },
      { shown: "g", words: "group, ungroup", run: { g: actions.group } },
      { shown: "c", words: "gain curves", run: { c: actions.curves } },
      {
        shown: "b shift b",
        words: "room tone in the gap, under all cuts of the track",
        run: { b: actions.fill, B: () => actions.fillTrack() },
      },
      {
        shown: "ctrl z",
        words: "undo, with shift redo",
        run: { "ctrl+z": actions.undo, "ctrl+shift+z": actions.redo },
      },
    ],
  },
  {
    title: "Looking",
    rows: [
      {
        shown: "− =",
        words: "more, less time",
        run: { "-": () => actions.zoom(1.5), "=": () => actions.zoom(1 / 1.5), "+": () => actions.zoom(1 / 1.5) },
      },
      { shown: "0", words: "everything", run: { 0: actions.whole } },
      { shown: "z", words: "the chosen clips", run: { z: actions.zoomToSelection } },
      {
        shown: "{ }",
        words: "lower, taller waveforms",
        run: { "{": () => actions.amplitude(0.5), "}": () => actions.amplitude(2) },
      },
      { shown: "d", words: "both channels", run: { d: actions.channels } },
      { shown: "n", words: "snapping", run: { n: actions.snapping } },
      { shown: "m", words: "note here", run: { m: () => actions.mark("note") } },
      { shown: "shift m", words: "chapter here", run: { M: () => actions.mark("chapter") } },
      { shown: "alt m", words: "sync point here", run: { "alt+m": () => actions.mark("sync") } },
      { shown: "?", words: "these keys", run: { "?": actions.showShortcuts } },
    ],
  },
];
