// Changes that came from another window or another person: asked for by revision, which costs the server one row.

const EVERY_MS = 1500;

// url: with a query; revision(): that the page has; isIdle(): whether nothing of its own is under way; reload(): reads the
// newest state.
export function watchRevision({ url, revision, isIdle, reload }) {
  async function look() {
    try {
      if (!document.hidden && isIdle()) {
        const seen = revision();
        const response = await fetch(`${url}&seen=${seen}`, {
          headers: { Accept: "application/json" },
          cache: "no-store",
        });
        if (response.ok && isIdle() && revision() === seen) await reload();
      }
    } catch {
      /* asked again below */
    }
    setTimeout(look, EVERY_MS);
  }
  setTimeout(look, EVERY_MS);
  document.addEventListener("visibilitychange", async () => {
    try {
      if (!document.hidden && isIdle()) await reload();
    } catch {
      /* asked again by look */
    }
  });
}
