/** The keys of the Bench: one table for acting on them, for tooltips and for the list behind "?". */

export type KeyAction =
  | "play"
  | "pause"
  | "forwards"
  | "backwards"
  | "next"
  | "previous"
  | "next10"
  | "previous10"
  | "first"
  | "last"
  | "step"
  | "cycle"
  | "nudge"
  | "swap"
  | "magnify"
  | "holdPlate"
  | "overlays"
  | "track"
  | "trackBack"
  | "trackBoth"
  | "stop"
  | "look"
  | "again"
  | "againOn"
  | "againBack"
  | "hold"
  | "curve"
  | "undo"
  | "redo"
  | "help"
  | "remove"
  | "finish"
  | "all"
  | "choose"
  | "shape"
  | "keyBefore"
  | "keyAfter"
  | "dropKey"
  | "snap"
  | "holdReference"
  | "flipPatch"
  | "holdRaw"
  | "trackAll"
  | "follow"
  | "cutOut"
  | "inFront"
  | "corners"
  | "point";

export type KeyRow = { keys: string; does: string };
export type KeyGroup = { title: string; rows: KeyRow[] };

export const KEY_GROUPS: KeyGroup[] = [
  {
    title: "Anywhere",
    rows: [
      { keys: "Space", does: "play and pause" },
      { keys: "J, K, L", does: "play backwards, pause, play forwards" },
      { keys: "← →", does: "one frame; ten with Shift" },
      { keys: ", .", does: "one frame, also while a corner or point is chosen" },
      { keys: "Home, End", does: "first and last frame" },
      { keys: "1-4, 6-9", does: "steps: Prepare, Outline, Track, Inspect, Place, Mask, Match, Hand over" },
      { keys: "F", does: "swap flat view and picture" },
      { keys: "M (hold)", does: "magnify" },
      { keys: "C (hold)", does: "show the plate" },
      { keys: "O", does: "overlays on and off" },
      { keys: "G", does: "curves or magnified corners in the strip" },
      { keys: "Ctrl+Z, Ctrl+Shift+Z", does: "undo, redo" },
      { keys: "Esc", does: "stop tracking; leave drawing; choose nothing" },
      { keys: "?", does: "this list" },
    ],
  },
  {
    title: "Outline",
    rows: [
      { keys: "I, E, W", does: "draw what is followed, what is cut out, what is in front" },
      { keys: "P, Q", does: "place the four corners; set a single point" },
      { keys: "arrows, Enter", does: "while drawing: move the hand by 8 px, Shift 40, Ctrl 1; set a point; Enter again closes" },
      { keys: "V", does: "choose the first corner" },
      { keys: "X", does: "choose the next shape, with all its points" },
      { keys: "Shift and a drag", does: "choose the points inside; Ctrl+A all of the shape" },
      { keys: "Tab", does: "next corner or point, Shift+Tab the one before (while one is chosen)" },
      { keys: "arrows", does: "nudge the chosen corner or point by 0.1 px; Shift 1 px; Ctrl 0.01 px" },
      { keys: "S", does: "snap the chosen corner to the crossing of edges that is offered" },
      { keys: "[ ]", does: "key before, key after, of the chosen shape or point" },
      { keys: "D", does: "delete the chosen shape's key at this frame" },
      { keys: "Delete", does: "take the chosen points, or the whole shape with Shift, away" },
    ],
  },
  {
    title: "Place",
    rows: [{ keys: "arrows", does: "nudge the artwork that was taken hold of by 0.1 px; Shift 1 px; Ctrl 0.01 px; Esc lets go" }],
  },
  {
    title: "Track",
    rows: [
      { keys: "T, Shift+T, B", does: "track forwards, backwards, both directions" },
      { keys: "Shift+B", does: "track all surfaces both ways, the nearest first" },
      { keys: "A", does: "follow this frame again" },
      { keys: "R, Shift+R", does: "follow again from here to the end, from here to the start" },
    ],
  },
  {
    title: "Inspect",
    rows: [
      { keys: "N", does: "next frame to look at" },
      { keys: "H", does: "hold these corners, or let them go" },
      { keys: "U (hold)", does: "the reference frame's crops in the strip" },
      { keys: "Y (hold)", does: "the other patch in the flat view" },
      { keys: "Z (hold)", does: "corners as they were followed, without nudges and mending" },
    ],
  },
];

/** Groups with the rows that hold all words of a search; those without any are left out. */
export function keysFound(search: string): KeyGroup[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (text: string) => words.every((w) => text.toLowerCase().includes(w));
  return KEY_GROUPS.map((g) => ({ ...g, rows: g.rows.filter((r) => fits(`${g.title} ${r.keys} ${r.does}`)) })).filter((g) => g.rows.length > 0);
}

const PLAIN: Record<string, KeyAction> = {
  " ": "play",
  j: "backwards",
  k: "pause",
  l: "forwards",
  Home: "first",
  End: "last",
  f: "swap",
  m: "magnify",
  c: "holdPlate",
  o: "overlays",
  t: "track",
  b: "trackBoth",
  a: "again",
  r: "againOn",
  h: "hold",
  g: "curve",
  Escape: "stop",
  n: "look",
  v: "choose",
  x: "shape",
  "[": "keyBefore",
  "]": "keyAfter",
  d: "dropKey",
  s: "snap",
  i: "follow",
  e: "cutOut",
  w: "inFront",
  p: "corners",
  q: "point",
  u: "holdReference",
  y: "flipPatch",
  z: "holdRaw",
  "?": "help",
  Delete: "remove",
  Backspace: "remove",
  Enter: "finish",
  ",": "previous",
  ".": "next",
};

export type Pressed = { key: string; shiftKey: boolean; ctrlKey: boolean; metaKey: boolean; altKey: boolean };

/** What a key does; null when it is not ours. `chosen` is whether a corner or point is selected. */
export function actionOf(e: Pressed, chosen: boolean): KeyAction | null {
  const command = e.ctrlKey || e.metaKey;
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  if (command && key === "z") return e.shiftKey ? "redo" : "undo";
  if (command && key === "a") return chosen ? "all" : null;
  if (chosen && key.startsWith("Arrow")) return "nudge";
  if (command || e.altKey) return null;
  if (key === "ArrowRight") return e.shiftKey ? "next10" : "next";
  if (key === "ArrowLeft") return e.shiftKey ? "previous10" : "previous";
  if (key === "Tab") return chosen ? "cycle" : null;
  if (key === "b" && e.shiftKey) return "trackAll";
  if (key === "t" && e.shiftKey) return "trackBack";
  if (key === "r" && e.shiftKey) return "againBack";
  if (/^[12346789]$/.test(key)) return "step";
  return PLAIN[key] ?? null;
}

/** How far an arrow key moves the drawing hand, plate px. */
export function strideOf(e: Pressed): { x: number; y: number } {
  const by = e.shiftKey ? 40 : e.ctrlKey || e.metaKey ? 1 : 8;
  // An event's own fields do not spread: they are read one by one.
  const { x, y } = nudgeOf({ key: e.key, shiftKey: true, ctrlKey: false, metaKey: false, altKey: false });
  return { x: x * by, y: y * by };
}

/** How far an arrow key moves a point, plate px. */
export function nudgeOf(e: Pressed): { x: number; y: number } {
  const by = e.shiftKey ? 1 : e.ctrlKey || e.metaKey ? 0.01 : 0.1;
  return {
    x: e.key === "ArrowRight" ? by : e.key === "ArrowLeft" ? -by : 0,
    y: e.key === "ArrowDown" ? by : e.key === "ArrowUp" ? -by : 0,
  };
}
