// The shortcuts of the Balance page.

export const shortcutsOf = (actions) => [
  {
    title: "Playing",
    rows: [
      { shown: "space", words: "play, stop", run: { " ": actions.playOrStop } },
      {
        shown: ", .",
        words: "playhead by 1 s, with shift 10 s",
        run: {
          ",": () => actions.step(-1),
          ".": () => actions.step(1),
          "<": () => actions.step(-10),
          ">": () => actions.step(10),
        },
      },
      {
        shown: "n b",
        words: "passage that is too close after, before",
        run: { n: () => actions.nextPassage(1), b: () => actions.nextPassage(-1) },
      },
      {
        shown: "− =",
        words: "more, less time",
        run: { "-": () => actions.zoom(1.5), "=": () => actions.zoom(1 / 1.5), "+": () => actions.zoom(1 / 1.5) },
      },
      { shown: "0", words: "everything", run: { 0: actions.whole } },
    ],
  },
  {
    title: "Changing",
    rows: [
      {
        shown: "[ ]",
        words: "clip before, clip after",
        run: { "[": () => actions.selectNeighbour(-1), "]": () => actions.selectNeighbour(1) },
      },
      {
        shown: "↑ ↓",
        words: "gain by 0.5 dB, with shift 0.1",
        run: {
          ArrowUp: () => actions.nudge(0.5),
          ArrowDown: () => actions.nudge(-0.5),
          "shift+ArrowUp": () => actions.nudge(0.1),
          "shift+ArrowDown": () => actions.nudge(-0.1),
        },
      },
      { shown: "g", words: "type the gain", run: { g: actions.typeGain } },
      {
        shown: "del",
        words: "the chosen stretch is no speech",
        run: { Delete: actions.deleteChosen, Backspace: actions.deleteChosen },
      },
      {
        shown: "ctrl z",
        words: "undo, with shift redo",
        run: { "ctrl+z": actions.undo, "ctrl+shift+z": actions.redo },
      },
      { shown: "?", words: "these keys", run: { "?": actions.showShortcuts } },
    ],
  },
];
