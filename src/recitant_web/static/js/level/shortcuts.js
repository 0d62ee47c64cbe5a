// The shortcuts of the Level page: those of the sheet work where it has the focus.

const SHEET = "#sheet tbody";

export const shortcutsOf = (actions) => [
  {
    title: "The sheet",
    rows: [
      {
        shown: "↑ ↓ home end",
        words: "clip before, after, first, last; with shift choose many",
        within: SHEET,
        run: Object.fromEntries(
          Object.entries({
            ArrowDown: (isRange) => actions.stepRow(1, isRange),
            ArrowUp: (isRange) => actions.stepRow(-1, isRange),
            PageDown: (isRange) => actions.stepRow(12, isRange),
            PageUp: (isRange) => actions.stepRow(-12, isRange),
            Home: (isRange) => actions.stepRow(-Infinity, isRange),
            End: (isRange) => actions.stepRow(Infinity, isRange),
          }).flatMap(([key, step]) => [
            [key, () => step(false)],
            [`shift+${key}`, () => step(true)],
          ]),
        ),
      },
      {
        shown: "x",
        words: "add the clip in focus to the chosen, or leave it out",
        within: SHEET,
        run: { x: actions.chooseMore },
      },
      {
        shown: "← →",
        words: "gain of the chosen by 0.5 dB, with shift 0.1",
        within: SHEET,
        run: {
          ArrowRight: () => actions.nudge(0.5),
          ArrowLeft: () => actions.nudge(-0.5),
          "shift+ArrowRight": () => actions.nudge(0.1),
          "shift+ArrowLeft": () => actions.nudge(-0.1),
        },
      },
      { shown: "enter", words: "type its gain", within: SHEET, run: { Enter: actions.typeGain } },
      { shown: "a", words: "apply the advice", within: SHEET, run: { a: () => actions.advise() } },
      { shown: "e", words: "even out", run: { e: actions.evenOut } },
      { shown: "space", words: "play, stop", run: { " ": actions.playOrStop } },
      { shown: ", .", words: "playhead by 1 s", run: { ",": () => actions.step(-1), ".": () => actions.step(1) } },
      { shown: "t", words: "the other of what is compared", run: { t: actions.toggleCompared } },
      { shown: "b", words: "bypass the chosen processor", run: { b: actions.bypass } },
      { shown: "s", words: "back to the sheet", run: { s: actions.toSheet } },
      {
        shown: "i o u",
        words: "mark a range from here, to here; none. Alt and a drag on the stave marks one too",
        run: { i: () => actions.mark(0), o: () => actions.mark(1), u: () => actions.markRange(null) },
      },
      { shown: "double click", words: "play the clip from its start" },
      {
        shown: "ctrl z",
        words: "undo, with shift redo",
        run: { "ctrl+z": actions.undo, "ctrl+shift+z": actions.redo },
      },
      { shown: "?", words: "these keys", run: { "?": actions.showShortcuts } },
    ],
  },
];
