// The keys of the Words page.

export const keysOf = (actions) => [
  {
    title: "Words",
    rows: [
      {
        shown: "← →",
        words: "word before, after; with shift choose several",
        keys: {
          ArrowRight: () => actions.stepWord(1, false),
          ArrowLeft: () => actions.stepWord(-1, false),
          "shift+ArrowRight": () => actions.stepWord(1, true),
          "shift+ArrowLeft": () => actions.stepWord(-1, true),
        },
      },
      { shown: "enter", words: "type over the chosen words", keys: { Enter: actions.type } },
      { shown: "del", words: "silence them", keys: { Delete: actions.silence } },
      { shown: "space", words: "play, stop", keys: { " ": actions.playOrStop } },
      {
        shown: ", .",
        words: "playhead by 1 s, with shift 10 s",
        keys: {
          ",": () => actions.step(-1),
          ".": () => actions.step(1),
          "<": () => actions.step(-10),
          ">": () => actions.step(10),
        },
      },
      {
        shown: "n b",
        words: "lost word after, before",
        keys: { n: () => actions.nextLost(1), b: () => actions.nextLost(-1) },
      },
      { shown: "f", words: "find", keys: { f: actions.find } },
      { shown: "esc", words: "choose nothing", keys: { Escape: actions.chooseNothing } },
      {
        shown: "ctrl z",
        words: "undo, with shift redo",
        keys: { "ctrl+z": actions.undo, "ctrl+shift+z": actions.redo },
      },
      { shown: "?", words: "these keys", keys: { "?": actions.showKeys } },
    ],
  },
];
