// What a track may be: the five kinds and the stems of the workspace, in the order of the stems. "effects:foley" is a stem of its
// own that is treated as its kind is; colours and shapes stand in the style sheet under the name of the kind.

const KNOWN = JSON.parse(document.body.dataset.stems || "[]"); // [role, label, letter] each

export const ROLES = KNOWN.map(([role]) => role);
export const kindOf = (role) => role.split(":")[0];
export const isSpeech = (role) => ["narration", "dialogue"].includes(kindOf(role));
export const labelOf = (role) => KNOWN.find(([one]) => one === role)?.[1] || capital(role.split(":").at(-1));
export const letterOf = (role) =>
  KNOWN.find(([one]) => one === role)?.[2] || capital(role.split(":").at(-1)).slice(0, 1);

function capital(text) {
  return text[0].toUpperCase() + text.slice(1).replaceAll("-", " ");
}
