// A key that is pressed, as it is written: "k", "Shift+K", "Ctrl+1", "Numpad 5". Letters and signs are the layout's own.
const NONE = new Set(["Control", "Shift", "Alt", "AltGraph", "Meta", "Dead", "CapsLock", "NumLock", "Process", "Unidentified", "Tab", "Enter", "Escape"]);

export function keyName(event) {
  if (NONE.has(event.key) && event.code !== "NumpadEnter") return "";
  const pad = event.code.startsWith("Numpad") && (event.key.length === 1 || event.key === "Enter");
  const name = pad ? `Numpad ${event.key}` : event.key === " " ? "Space" : event.key;
  const letter = name.length === 1 && name.toLowerCase() !== name.toUpperCase();
  const graph = event.getModifierState("AltGraph");
  const held = [
    event.ctrlKey && !graph && "Ctrl", event.altKey && !graph && "Alt",
    event.shiftKey && (letter || name.length > 1) && "Shift", event.metaKey && "Meta",
  ].filter(Boolean);
  if (name.length === 1) return [...held, held.length && letter ? name.toUpperCase() : name.toLowerCase()].join("+");
  return [...held, name].join("+");
}
