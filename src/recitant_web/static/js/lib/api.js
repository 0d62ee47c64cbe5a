// Requests to the server. Edits go one after the other, each at the revision that the one before came back with.

export class Refusal extends Error {}

export function newApi(urls, revisionOf) {
  let last = Promise.resolve();

  async function answer(response) {
    if (response.ok) return response.json();
    let words = "That did not reach the server. Check the connection; nothing is lost.";
    try { words = (await response.json()).sentence || words; } catch { /* not an answer of ours */ }
    throw Object.assign(new Refusal(words), { status: response.status });
  }

  async function post(url, data) {
    const response = await fetch(url, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": urls.csrf, Accept: "application/json" },
      body: JSON.stringify({ ...data, revision: revisionOf() }),
    });
    return answer(response);
  }

  const send = (edit) => post(urls.edits, edit);

  const get = async (url) => answer(await fetch(url, { headers: { Accept: "application/json" } }));

  return {
    get,
    post,
    state: () => get(urls.state),
    edit(edit, onAnswer) {
      last = last.then(() => send(edit)).then(onAnswer);
      const mine = last;
      last = last.catch(() => {});
      return mine;
    },
  };
}
