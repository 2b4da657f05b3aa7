/** Who gets a key: the control that has the focus, or the Bench. The one place that decides it. */

/** What kind of thing has the focus. */
export type FocusKind = "none" | "text" | "open" | "select" | "choice" | "slider" | "button" | "link";

/** Keys that a control answers to itself, when it was reached with the keyboard. */
const OWN_KEYS: Record<Exclude<FocusKind, "none" | "text" | "open">, readonly string[]> = {
  select: ["Enter", " ", "ArrowUp", "ArrowDown"],
  choice: ["Enter", " ", "ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"],
  slider: ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End", "PageUp", "PageDown"],
  button: ["Enter", " "],
  link: ["Enter"],
};

/**
 * Text that is being typed and whatever is open (a list, a dialog) get every key. Any other control gets its own keys
 * only when it was reached with the keyboard: one that was clicked merely keeps the focus.
 */
export function ownerOf(key: string, kind: FocusKind, byKeyboard: boolean): "control" | "bench" {
  if (kind === "none") return "bench";
  if (kind === "text" || kind === "open") return "control";
  return byKeyboard && OWN_KEYS[kind].includes(key) ? "control" : "bench";
}

const NOT_TEXT = ["radio", "checkbox", "range", "button", "submit", "file"];

/** The kind of an element with the focus. */
export function focusKind(target: EventTarget | null): FocusKind {
  const el = target instanceof Element ? target : null;
  if (!el || el === document.body) return "none";
  if (el.closest(".ant-modal, .ant-select-dropdown, .ant-picker-dropdown, .ant-dropdown, [aria-expanded=true][role=combobox]")) return "open";
  if (el.closest("[role=combobox]")) return "select";
  if (el.closest("[role=slider]")) return "slider";
  const input = el.closest("input");
  if (input && !NOT_TEXT.includes(input.type)) return "text";
  if (el.closest("textarea, [contenteditable=true]")) return "text";
  if (input || el.closest("[role=radio], [role=radiogroup], [role=switch], .ant-segmented")) return "choice";
  if (el.closest("a[href]")) return "link";
  return el.closest("button, [role=button]") ? "button" : "none";
}

/** Whether an element is a list to choose from, open or not. */
export function isList(target: EventTarget | null): boolean {
  return target instanceof Element && target.closest("[role=combobox]") !== null;
}

let byKeyboard = false;

/** Whether the control with the focus was reached with the keyboard. */
export function reachedByKeyboard(): boolean {
  return byKeyboard;
}

/** Follow how the focus gets where it is; returns how to stop. */
export function watchFocus(): () => void {
  let last: "pointer" | "keyboard" = "pointer";
  const pointer = () => {
    last = "pointer";
    byKeyboard = false;
  };
  const key = (e: KeyboardEvent) => {
    if (e.key === "Tab") last = "keyboard";
  };
  const focus = () => {
    byKeyboard = last === "keyboard";
  };
  window.addEventListener("pointerdown", pointer, true);
  window.addEventListener("keydown", key, true);
  window.addEventListener("focusin", focus, true);
  return () => {
    window.removeEventListener("pointerdown", pointer, true);
    window.removeEventListener("keydown", key, true);
    window.removeEventListener("focusin", focus, true);
  };
}

/** Take the focus from a control: the keys are the Bench's again. */
export function releaseFocus(): void {
  if (document.activeElement instanceof HTMLElement && document.activeElement !== document.body) document.activeElement.blur();
}
