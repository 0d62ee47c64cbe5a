// The shortcuts of the Intake page.

export const shortcutsOf = (actions) => [
  {
    title: "Files",
    rows: [
      {
        shown: "↑ ↓",
        words: "file before, after; with shift choose many",
        run: {
          ArrowDown: () => actions.step(1, false),
          ArrowUp: () => actions.step(-1, false),
          "shift+ArrowDown": () => actions.step(1, true),
          "shift+ArrowUp": () => actions.step(-1, true),
        },
      },
      {
        shown: "n d m e a",
        words: "narration, dialogue, music, effects, atmosphere",
        run: {
          n: () => actions.setRole("narration"),
          d: () => actions.setRole("dialogue"),
          m: () => actions.setRole("music"),
          e: () => actions.setRole("effects"),
          a: () => actions.setRole("atmosphere"),
        },
      },
      { shown: "space", words: "play, stop", run: { " ": actions.playOrStop } },
      { shown: ", .", words: "playhead by 1 s", run: { ",": () => actions.seekBy(-1), ".": () => actions.seekBy(1) } },
      {
        shown: "i o",
        words: "mark from here, to here",
        run: { i: () => actions.setMark("from"), o: () => actions.setMark("to") },
      },
      { shown: "?", words: "these keys", run: { "?": actions.showShortcuts } },
    ],
  },
];
