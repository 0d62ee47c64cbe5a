// The shortcuts of the Words page.

export const shortcutsOf = (actions) => [
  {
    title: "Words",
    rows: [
      {
        shown: "← →",
        words: "word before, after; with shift choose several",
        run: {
          ArrowRight: () => actions.stepWord(1, false),
          ArrowLeft: () => actions.stepWord(-1, false),
          "shift+ArrowRight": () => actions.stepWord(1, true),
          "shift+ArrowLeft": () => actions.stepWord(-1, true),
        },
      },
      { shown: "enter", words: "type over the chosen words", run: { Enter: actions.type } },
      { shown: "del", words: "silence them", run: { Delete: actions.silence } },
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
        words: "lost word after, before",
        run: { n: () => actions.nextLost(1), b: () => actions.nextLost(-1) },
      },
      { shown: "f", words: "find", run: { f: actions.find } },
      { shown: "esc", words: "choose nothing", run: { Escape: actions.chooseNothing } },
      {
        shown: "ctrl z",
        words: "undo, with shift redo",
        run: { "ctrl+z": actions.undo, "ctrl+shift+z": actions.redo },
      },
      { shown: "?", words: "these keys", run: { "?": actions.showShortcuts } },
    ],
  },
];
