// The edits of a page, carried out in order. Each is computed from the newest state when its turn comes, drawn at once over
// the state that is known, and joined with the one that still waits where both turn the same control.
//
// A change is data (kind and fields, as the server takes them), or a function (state, amount) => data, null for nothing.
// A function is computed anew on every newer state, so that a press counts from what stands there when it is carried out.
// add() gives a promise: true when the server has it, false when it was refused, null when there was nothing to do.

const MOST_TRIES = 4;
const MOST_TRIES_AWAY = 20;
const AWAY = new Set([0, 502, 503, 504]); // no answer; a proxy without its server, a server without its database
const SETTLE_MS = 40;

export function newEditQueue({ post, refetch, base, apply, adopt, refuse, tell, draw, awayMs = 1000 }) {
  // post(data, revision) sends; refetch() reads the whole state; base() is the newest state of the server; apply(state, data)
  // gives the state with an edit drawn into it; adopt(answer) makes an answer the newest state; refuse(error, data) tells
  // the person of the edit that was refused, tell(words) too, of what is not over yet; draw() shows base() with what waits.
  const waiting = [];
  let isWorking = false;
  let wake = null;

  function dataOf(entry, state) {
    const { change, amount } = entry;
    return typeof change === "function" ? change(state, amount) : change;
  }

  function add(change, { key = null, amount = null, holdMs = 0, url = null } = {}) {
    const last = waiting.at(-1);
    release(last && last.key === key && key !== null ? last : null);
    let entry = last;
    if (last && key !== null && last.key === key && !last.isUnderWay) {
      last.change = change;
      if (amount !== null) last.amount += amount;
      last.heldUntil = performance.now() + holdMs;
    } else {
      entry = { change, key, amount, url, heldUntil: performance.now() + holdMs, isUnderWay: false, tries: 0 };
      entry.done = new Promise((resolve) => {
        entry.resolve = resolve;
      });
      waiting.push(entry);
    }
    draw();
    work();
    return entry.done;
  }

  // Everything that is held back for more presses goes now.
  function release(except = null) {
    for (const entry of waiting) if (entry !== except) entry.heldUntil = 0;
    if (wake) wake();
  }

  function over(state) {
    let shown = state;
    for (const entry of waiting) {
      const data = dataOf(entry, shown);
      if (data) shown = apply(shown, data);
    }
    return shown;
  }

  async function work() {
    if (isWorking) return;
    isWorking = true;
    while (waiting.length) {
      await held(waiting[0]);
      await carryOut(waiting[0]);
    }
    isWorking = false;
  }

  async function held(entry) {
    while (entry.heldUntil > performance.now()) {
      await new Promise((resolve) => {
        wake = resolve;
        setTimeout(resolve, entry.heldUntil - performance.now());
      });
      wake = null;
    }
  }

  async function carryOut(entry) {
    entry.isUnderWay = true;
    const state = base();
    const data = dataOf(entry, state);
    if (!data || (entry.amount !== null && Math.abs(entry.amount) < 1e-9)) {
      leave(entry, null);
      draw();
      return;
    }
    try {
      const answer = await post(data, state.revision, entry.url);
      leave(entry, true);
      await adopt(answer);
    } catch (error) {
      const isStale = error.code === "stale_revision";
      entry.tries += 1;
      const isAway = AWAY.has(error.status) && !isStale;
      if (isAway && entry.tries < MOST_TRIES && (await isStillToDo(state.revision))) return;
      // What is computed from the state is computed from the newer one; what was typed on sight of the old one is not.
      if (isStale && typeof entry.change === "function" && entry.tries < MOST_TRIES) {
        await again();
        return;
      }
      leave(entry, false);
      refuse(error, data);
      await again();
    }
  }

  // Whether an edit that got no answer has to be sent again: where the server is back and stands at the revision that it
  // stood at, the edit did not reach it. At any other revision nobody knows whose it is.
  async function isStillToDo(revision) {
    tell("The server is away for a moment. What you pressed waits, and is sent when it is back.");
    for (let tries = 0; tries < MOST_TRIES_AWAY; tries += 1) {
      await new Promise((resolve) => setTimeout(resolve, awayMs));
      try {
        await adopt(await refetch());
        return base().revision === revision;
      } catch (error) {
        if (!AWAY.has(error.status)) return false;
      }
    }
    return false;
  }

  function leave(entry, isDone) {
    waiting.splice(waiting.indexOf(entry), 1);
    entry.resolve(isDone);
  }

  async function again() {
    try {
      await adopt(await refetch());
    } catch {
      draw();
    }
  }

  window.addEventListener("beforeunload", (event) => {
    if (waiting.length) {
      release();
      event.preventDefault();
    }
  });

  // Once everything that was pressed has reached the server.
  async function settled() {
    while (waiting.length) await new Promise((done) => setTimeout(done, SETTLE_MS));
  }

  return { add, over, release, settled, isIdle: () => !waiting.length };
}
