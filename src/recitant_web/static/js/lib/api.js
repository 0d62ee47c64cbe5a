// Requests to the server. What is refused comes back as a Refusal with its sentence, its status and its code.

export class Refusal extends Error {}

export function newApi(urls) {
  async function answer(response) {
    if (response.ok) return response.json();
    let found = {};
    try {
      found = await response.json();
    } catch {
      /* not an answer of ours */
    }
    const words = found.sentence || "That did not reach the server. Check the connection; nothing is lost.";
    throw Object.assign(new Refusal(words), { status: response.status, code: found.error || "" });
  }

  async function send(url, options) {
    let response;
    try {
      response = await fetch(url, options);
    } catch {
      throw new Refusal("The server does not answer. Check the connection; nothing is lost.");
    }
    return answer(response);
  }

  const headers = { "Content-Type": "application/json", "X-CSRFToken": urls.csrf, Accept: "application/json" };
  const post = (url, data) => send(url, { method: "POST", headers, body: JSON.stringify(data) });

  return {
    get: (url) => send(url, { headers: { Accept: "application/json" } }),
    post, // a question that is too long for an address, or an action of its own: it changes no state of the timeline
    edit: (data, revision, url) => post(url || urls.edits, { ...data, revision }),
    state: () => send(urls.state, { headers: { Accept: "application/json" } }),
  };
}
