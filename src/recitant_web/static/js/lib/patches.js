// A state with a patch of the server in it. What did not change is the same object as before, nothing is changed in place.
// An object's patch: set (values by key), drop (keys), in (patches by key). A list of rows with ids: rows (new ones),
// in (patches by id), order (all ids, where any came, went or moved).

export function patched(value, patch) {
  return Array.isArray(value) ? patchedRows(value, patch) : patchedObject(value, patch);
}

function patchedObject(value, { set = {}, drop = [], in: inside = {} }) {
  const found = { ...value, ...set };
  for (const key of drop) delete found[key];
  for (const [key, patch] of Object.entries(inside)) found[key] = patched(value[key], patch);
  return found;
}

function patchedRows(rows, { rows: added = [], in: inside = {}, order = null }) {
  const isPatched = (row) => Object.hasOwn(inside, row.id);
  const kept = rows.map((row) => (isPatched(row) ? patched(row, inside[row.id]) : row));
  if (!order) return kept;
  const known = new Map([...kept, ...added].map((row) => [String(row.id), row]));
  return order.map((id) => known.get(String(id)));
}
