// Cases of the edit queue and of what the pages draw before the server has answered.

import * as arranged from "../../src/recitant_web/static/js/arrange/drawn.js";
import * as balanced from "../../src/recitant_web/static/js/balance/drawn.js";
import { newEditQueue } from "../../src/recitant_web/static/js/lib/edits.js";
import { patched } from "../../src/recitant_web/static/js/lib/patches.js";

const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

// A server with one figure; every answer takes a while. others: edits that somebody else makes before the nth post.
// isAway: whether the nth post, or the nth look at the state, finds nobody; "after" where it was carried out before that.
function desk({ others = {}, refuses = () => false, isAway = () => false, looks = () => false } = {}) {
  const server = { revision: 1, value: 0, posts: [], looks: 0 };
  const gone = () => Object.assign(new Error("away"), { status: 503, code: "away" });
  const page = { base: { ...server }, shown: [], refused: [], told: [] };
  const answer = () => ({ revision: server.revision, value: server.value });
  page.queue = newEditQueue({
    post: async (data, revision) => {
      server.posts.push(data);
      if (others[server.posts.length]) {
        server.value = others[server.posts.length];
        server.revision += 1;
      }
      await wait(15);
      const away = isAway(server.posts.length);
      if (away && away !== "after") throw gone();
      if (refuses(data)) throw Object.assign(new Error("no"), { status: 422, code: "not_a_number" });
      if (revision !== server.revision)
        throw Object.assign(new Error("stale"), { status: 409, code: "stale_revision" });
      server.value = data.to;
      server.revision += 1;
      if (away) throw gone();
      return answer();
    },
    refetch: async () => {
      server.looks += 1;
      if (looks(server.looks)) throw gone();
      return answer();
    },
    awayMs: 5,
    tell: (words) => page.told.push(words),
    base: () => page.base,
    apply: (state, data) => ({ ...state, value: data.to }),
    adopt: (state) => {
      page.base = state;
      page.shown.push(page.queue.over(page.base).value);
    },
    refuse: (error) => page.refused.push(error.code),
    draw: () => page.shown.push(page.queue.over(page.base).value),
  });
  return { server, page, queue: page.queue };
}

const more = (by) => (state) => ({ kind: "more", to: state.value + by });
const told = ({ server, page }) => ({
  value: server.value,
  posts: server.posts.length,
  shown: page.shown.at(-1),
  refused: page.refused,
});

export const cases = {
  async sentAgain() {
    const made = desk({ isAway: (n) => n === 2, looks: (n) => n < 4 });
    const ends = await Promise.all([1, 1, 1].map((by) => made.queue.add(more(by))));
    return { ...told(made), ends, looks: made.server.looks, told: made.page.told };
  },
  async answeredTooLate() {
    const made = desk({ isAway: (n) => n === 1 && "after" });
    const end = await made.queue.add(more(1));
    await wait(50);
    return { ...told(made), end };
  },
  async awayForGood() {
    const made = desk({ isAway: () => true, looks: () => true });
    const end = await made.queue.add(more(1));
    await wait(50);
    return { ...told(made), end };
  },
  async pressed(n) {
    const made = desk();
    const done = Array.from({ length: n }, () => made.queue.add(more(1)));
    const first = made.page.shown.at(-1);
    const ends = await Promise.all(done);
    return { ...told(made), first, ends: ends.every((end) => end === true), isIdle: made.queue.isIdle() };
  },
  async joined(n) {
    const made = desk();
    const sum = (state, amount) => ({ kind: "more", to: state.value + amount });
    const done = Array.from({ length: n }, () => made.queue.add(sum, { key: "gain", amount: 1, holdMs: 5 }));
    await Promise.all(done);
    return told(made);
  },
  async thereAndBack() {
    const made = desk();
    const sum = (state, amount) => ({ kind: "more", to: state.value + amount });
    const up = made.queue.add(sum, { key: "gain", amount: 1, holdMs: 40 });
    made.queue.add(sum, { key: "gain", amount: -1, holdMs: 40 });
    return { end: await up, ...told(made) };
  },
  async overtaken() {
    const made = desk({ others: { 1: 10 } });
    await made.queue.add(more(1));
    return told(made);
  },
  async overtakenTooOften() {
    const made = desk({ others: { 1: 10, 2: 20, 3: 30, 4: 40 } });
    const end = await made.queue.add(more(1));
    await wait(10);
    return { end, ...told(made) };
  },
  async typedOnSight() {
    const made = desk({ others: { 1: 10 } });
    const end = await made.queue.add({ kind: "set", to: 3 });
    await wait(10);
    return { end, ...told(made) };
  },
  async refusedInTheMiddle() {
    const made = desk({ refuses: (data) => data.kind === "bad" });
    const first = made.queue.add(more(1));
    const bad = made.queue.add({ kind: "bad", to: 99 });
    const last = made.queue.add(more(1));
    const ends = [await first, await bad, await last];
    return { ends, ...told(made) };
  },
  async nothingToDo() {
    const made = desk();
    return { end: await made.queue.add(() => null), ...told(made) };
  },

  arrangeDraws([state, edits]) {
    const drawn = edits.reduce((shown, data) => arranged.applyEdit(shown, data), {
      ...state,
      clips: new Map(state.clips.map((clip) => [clip.id, clip])),
    });
    return { ...drawn, clips: [...drawn.clips.values()] };
  },
  patched([before, patch]) {
    const kept = JSON.stringify(before);
    const found = patched(before, patch);
    const same = before.rows.filter((row) => !(row.id in (patch.in?.rows?.in || {})));
    const isShared = same.every((row) => !found.rows.some((one) => one.id === row.id) || found.rows.includes(row));
    return { found, isUntouched: kept === JSON.stringify(before), isShared };
  },
  balanceDraws: ([state, edits]) => edits.reduce((shown, data) => balanced.applyEdit(shown, data), state),
};
