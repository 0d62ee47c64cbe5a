// Requests to the server. What is refused comes back as a Refusal with its sentence, its status and its code.
// A page that holds a state with a tag gets patches to it; its api puts them together, so that all others see whole states.

import { patched } from "./patches.js";

export class Refusal extends Error {}

// holding: the state that the page was sent with, where urls.tag names it.
export function newApi(urls, holding = null) {
  let held = urls.tag ? { tag: urls.tag, state: holding } : null;

  async function answer(response) {
    if (response.status === 304) return null;
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
      const words = "The server does not answer. Check the connection; nothing is lost.";
      throw Object.assign(new Refusal(words), { status: 0, code: "" });
    }
    return answer(response);
  }

  const headers = { "Content-Type": "application/json", "X-CSRFToken": urls.csrf, Accept: "application/json" };
  const post = (url, data) => send(url, { method: "POST", headers, body: JSON.stringify(data) });

  // A question whose answer is a state. A patch belongs to the state that was held when it was asked.
  async function stateOf(url, options) {
    if (!held) return send(url, options);
    const { tag, state } = held;
    const found = await send(url, { ...options, headers: { ...options.headers, "Recitant-Have": tag } });
    if (!found) return state;
    if (!found.tag) return found;
    held = { tag: found.tag, state: { ...(found.state || patched(state, found.patch)), said: found.said || "" } };
    return held.state;
  }

  return {
    get: (url) => send(url, { headers: { Accept: "application/json" } }),
    post, // a question that is too long for an address, or an action of its own: it changes no state of the timeline
    edit: (data, revision, url) =>
      stateOf(url || urls.edits, { method: "POST", headers, body: JSON.stringify({ ...data, revision }) }),
    state: () => stateOf(urls.state, { cache: "no-store", headers: { Accept: "application/json" } }),
  };
}
