// Asks for the newest state while something of it is still to come: figures of the last edit, exact ones, work under way;
// and whether another window or person has changed the programme.

import { watchRevision } from "./moved.js";

const AGAIN_MS = 300; // after a question that brought nothing, or nothing that may be shown yet

// base(): the newest state of the server; pauseMs(): until the next question, null where nothing is to come; isFree():
// whether a new state may be adopted now; adopt(state) makes it the newest and follows on.
export function newFollower({ api, base, pauseMs, isFree, adopt, movedUrl }) {
  let timer = null;
  watchRevision({
    url: movedUrl,
    revision: () => base().revision,
    isIdle: isFree,
    reload: async () => {
      const state = await api.state();
      if (state !== base() && isFree()) adopt(state);
    },
  });

  function ask(leastMs) {
    clearTimeout(timer);
    const pause = pauseMs();
    if (pause === null) return;
    const { revision } = base();
    timer = setTimeout(
      async () => {
        try {
          const state = await api.state();
          if (state !== base() && base().revision === revision && isFree()) {
            adopt(state);
            return;
          }
        } catch {
          /* asked again below */
        }
        ask(AGAIN_MS);
      },
      Math.max(pause, leastMs),
    );
  }

  return () => ask(0);
}
