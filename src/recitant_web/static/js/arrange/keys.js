// Keys to intentions, and the page that shows them. Ours: letters say what happens where the playhead stands.

const KEYS = [
  [
    "Playing",
    [
      ["space", "play, stop"],
      ["l", "forward, again for faster"],
      ["j", "backward, again for faster"],
      ["k", "stop"],
      [", .", "playhead by a frame"],
      ["< >", "playhead by a second"],
      ["home end", "to the start, to the end"],
      ["i o", "range from here, range to here"],
      ["r", "repeat the range"],
      ["u", "no range"],
      ["t", "type a timecode"],
    ],
  ],
  [
    "Choosing",
    [
      ["[ ]", "clip before, clip after"],
      ["w s", "track above, track below"],
      ["shift click", "all between"],
      ["ctrl click", "one more, one less"],
      ["ctrl a", "every clip"],
      ["y", "every clip of this track"],
      ["e shift e", "all behind the playhead, here or on all tracks"],
      ["shift y", "every clip of this role"],
      ["esc", "none"],
    ],
  ],
  [
    "Changing",
    [
      ["← →", "move by a frame"],
      ["alt ← →", "move by a millisecond"],
      ["alt ↑ ↓", "move to the track above, below"],
      ["p", "put on a track: its number, or from a list"],
      ["x", "out of the mix, in the mix"],
      ["a shift a", "next take, take before"],
      ["q shift q", "close the gap on all tracks, on this one"],
      ["↑ ↓", "gain by 0.5 dB, with shift 0.1"],
      ["/", "split at the playhead"],
      ["( )", "trim the start, the end to the playhead"],
      ["f shift f", "fade in to, out from the playhead"],
      ["del", "delete"],
      ["shift del", "delete and close the gap"],
      ["ctrl x c v", "cut, copy, paste at the playhead"],
      ["ctrl d", "again behind itself"],
      ["g", "group, ungroup"],
      ["c", "gain curves"],
      ["b shift b", "room tone in the gap, under all cuts of the track"],
      ["ctrl z", "undo, with shift redo"],
    ],
  ],
  [
    "Looking",
    [
      ["− =", "more, less time"],
      ["0", "everything"],
      ["z", "the chosen clips"],
      ["{ }", "lower, taller waveforms"],
      ["d", "both channels"],
      ["n", "snapping"],
      ["m", "note here"],
      ["shift m", "chapter here"],
      ["alt m", "sync point here"],
      ["?", "these keys"],
    ],
  ],
];

export function bindKeys(actions, isPlaced) {
  document.addEventListener("keydown", (event) => {
    if (event.target.matches("input, select, textarea, dialog *") && event.key !== "Escape") return;
    if (!isPlaced()) return;
    const ctrl = event.ctrlKey || event.metaKey;
    const { key } = event;
    if (key === " " && event.target.matches("button, summary, a, video")) return;
    if (key === "Enter" && event.target.matches("button, summary, a")) return;
    let move = null;
    if (ctrl) {
      move = {
        z: () => (event.shiftKey ? actions.redo : actions.undo)(),
        Z: actions.redo,
        a: actions.selectAll,
        x: actions.cutOut,
        c: actions.copy,
        v: actions.paste,
        d: actions.duplicate,
      }[key];
    } else if (event.altKey) {
      move = {
        ArrowLeft: () => actions.nudge(-48),
        ArrowRight: () => actions.nudge(48),
        ArrowUp: () => actions.toTrack(-1),
        ArrowDown: () => actions.toTrack(1),
        m: () => actions.mark("sync"),
      }[key];
    } else {
      const fine = event.shiftKey ? 0.1 : 0.5;
      move = {
        " ": actions.playOrStop,
        l: () => actions.shuttle(1),
        j: () => actions.shuttle(-1),
        k: actions.stop,
        ",": () => actions.step(-1, true),
        ".": () => actions.step(1, true),
        "<": () => actions.step(-1),
        ">": () => actions.step(1),
        Home: actions.toStart,
        End: actions.toEnd,
        i: () => actions.markRange(0),
        o: () => actions.markRange(1),
        r: actions.loop,
        u: actions.noRange,
        t: actions.typeTimecode,
        "[": () => actions.neighbour(-1),
        "]": () => actions.neighbour(1),
        w: () => actions.chooseTrack(-1),
        s: () => actions.chooseTrack(1),
        y: actions.selectTrack,
        Y: actions.selectRole,
        Escape: actions.escape,
        ArrowLeft: () => actions.nudgeFrames(-1),
        ArrowRight: () => actions.nudgeFrames(1),
        ArrowUp: () => actions.level(fine),
        ArrowDown: () => actions.level(-fine),
        "/": actions.split,
        "(": () => actions.trimTo("start"),
        ")": () => actions.trimTo("end"),
        f: () => actions.fadeTo("in"),
        F: () => actions.fadeTo("out"),
        Delete: () => actions.remove(event.shiftKey),
        Backspace: () => actions.remove(event.shiftKey),
        g: actions.group,
        x: actions.toggleOut,
        a: () => actions.nextTake(1),
        A: () => actions.nextTake(-1),
        p: actions.askTrack,
        q: () => actions.closeGap({ everywhere: true }),
        Q: () => actions.closeGap({ everywhere: false }),
        e: () => actions.selectBehind(false),
        E: () => actions.selectBehind(true),
        c: actions.curves,
        b: actions.fill,
        B: () => actions.fillTrack(),
        "-": () => actions.zoom(1.5),
        "=": () => actions.zoom(1 / 1.5),
        "+": () => actions.zoom(1 / 1.5),
        0: actions.whole,
        z: actions.zoomToSelection,
        "{": () => actions.amplitude(0.5),
        "}": () => actions.amplitude(2),
        d: actions.channels,
        n: actions.snapping,
        m: () => actions.mark("note"),
        M: () => actions.mark("chapter"),
        "?": actions.showKeys,
      }[key];
    }
    if (!move) return;
    event.preventDefault();
    move();
  });
}

export function keysPage(dialog) {
  const columns = KEYS.map(([title, rows]) => {
    const section = document.createElement("section");
    const head = document.createElement("h3");
    head.textContent = title;
    const table = document.createElement("table");
    table.className = "plain";
    for (const [key, words] of rows) {
      const row = table.insertRow();
      Object.assign(row.insertCell(), { className: "mono", textContent: key });
      row.insertCell().textContent = words;
    }
    section.append(head, table);
    return section;
  });
  dialog.querySelector(".keys").replaceChildren(...columns);
}
