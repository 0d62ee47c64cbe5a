// Requests of the Arrange page. Edits go one after the other, each at the revision that the one before came back with.

export function newApi(urls, revisionOf) {
  let last = Promise.resolve();

  async function answer(response) {
    if (response.ok) return response.json();
    let words = "That did not reach the server. Check the connection; nothing is lost.";
    try { words = (await response.json()).sentence || words; } catch { /* not an answer of ours */ }
    throw Object.assign(new Error(words), { status: response.status });
  }

  const get = async (url) => answer(await fetch(url, { headers: { Accept: "application/json" } }));

  async function send(edit) {
    return answer(await fetch(urls.edits, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": urls.csrf, Accept: "application/json" },
      body: JSON.stringify({ ...edit, revision: revisionOf() }),
    }));
  }

  return {
    edit(edit, onDelta) {
      last = last.then(() => send(edit)).then(onDelta);
      const mine = last;
      last = last.catch(() => {});
      return mine;
    },
    state: () => get(urls.state),
    history: () => get(urls.history),
    alignment: (clip, to) => get(`${urls.alignment}?clip=${clip}&to=${to}`),
    job: (id) => get(urls.job.replace("/0", `/${id}`)),
    get,
  };
}
