// An element with its properties and children in one call.
export function make(tag, properties = {}, ...children) {
  const element = Object.assign(document.createElement(tag), properties);
  element.append(...children.filter((child) => child !== null));
  return element;
}

// A button that does one thing.
export function button(text, onPress, properties = {}) {
  const element = make("button", { type: "button", textContent: text, ...properties });
  element.addEventListener("click", onPress);
  return element;
}
