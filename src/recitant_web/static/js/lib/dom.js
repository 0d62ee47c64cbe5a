// An element with its properties and children in one call.
export function make(tag, properties = {}, ...children) {
  const element = Object.assign(document.createElement(tag), properties);
  element.append(...children.filter((child) => child !== null));
  return element;
}

// Text that is asked for with every frame: the same text again would make the document lay out anew.
export function setText(element, text) {
  if (element.textContent !== text) element.textContent = text;
}

// A button that does one thing.
export function button(text, onPress, properties = {}) {
  const element = make("button", { type: "button", textContent: text, ...properties });
  element.addEventListener("click", onPress);
  return element;
}

// Rebuild a box; what had the focus has it again where it is still there.
export function keepingFocus(box, rebuild) {
  const active = document.activeElement;
  const keyOf = (one) =>
    one.dataset.key ||
    one.id ||
    `${one.tagName} ${one.getAttribute("aria-label") || one.ariaLabel || one.textContent.trim()}`;
  const all = () => [...box.querySelectorAll("button, input, select, textarea, summary, [tabindex]")];
  const isInside = active && box.contains(active) && active !== box;
  const key = isInside ? keyOf(active) : null;
  const place = isInside
    ? all()
        .filter((one) => keyOf(one) === key)
        .indexOf(active)
    : -1;
  rebuild();
  if (!isInside || active.isConnected) return;
  const again = all().filter((one) => keyOf(one) === key);
  again[Math.max(0, place)]?.focus({ preventScroll: true });
}
