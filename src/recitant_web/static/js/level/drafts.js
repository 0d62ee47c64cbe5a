// Chains that are being tried, kept by the server under a name while they are heard.

// A function that gives the name of a chain; the server is asked once for each.
export function newDrafts(api, url) {
  let last = { chain: null, name: null };

  return function nameOf(chain) {
    if (last.chain !== chain) last = { chain, name: api.post(url, { chain }).then((found) => found.draft) };
    return last.name;
  };
}
