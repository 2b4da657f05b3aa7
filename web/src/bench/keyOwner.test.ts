import { describe, expect, it } from "vitest";
import { focusKind, type FocusKind, ownerOf } from "./keyOwner";

const element = (html: string, pick: string): Element => {
  document.body.innerHTML = html;
  const found = document.querySelector(pick);
  if (!found) throw new Error("not there");
  return found;
};

describe("who gets a key", () => {
  const kinds: FocusKind[] = ["select", "choice", "slider", "button", "link"];

  it("gives a control that was clicked no key at all", () => {
    for (const kind of kinds)
      for (const key of [" ", "Enter", "ArrowLeft", "ArrowRight", "ArrowDown", "b", "Home"]) expect(ownerOf(key, kind, false)).toBe("bench");
  });

  it("gives a control that was reached with Tab its own keys and no others", () => {
    expect(ownerOf(" ", "button", true)).toBe("control");
    expect(ownerOf("ArrowRight", "button", true)).toBe("bench");
    expect(ownerOf("ArrowRight", "choice", true)).toBe("control");
    expect(ownerOf("Home", "slider", true)).toBe("control");
    for (const kind of kinds) expect(ownerOf("b", kind, true)).toBe("bench");
  });

  it("gives text that is typed and what is open every key", () => {
    for (const kind of ["text", "open"] as const) for (const key of ["b", " ", "ArrowLeft", "Escape"]) expect(ownerOf(key, kind, false)).toBe("control");
  });

  it("gives the Bench everything while nothing has the focus", () => {
    expect(ownerOf("b", "none", true)).toBe("bench");
  });
});

describe("what has the focus", () => {
  it("is told by what it is, not by what it looks like", () => {
    expect(focusKind(document.body)).toBe("none");
    expect(focusKind(element("<input type='text'>", "input"))).toBe("text");
    expect(focusKind(element("<input>", "input"))).toBe("text");
    expect(focusKind(element("<div class='ant-segmented'><label><input type='radio'></label></div>", "input"))).toBe("choice");
    expect(focusKind(element("<div role='combobox' aria-expanded='false'><input></div>", "input"))).toBe("select");
    expect(focusKind(element("<input role='combobox' aria-expanded='false'>", "input"))).toBe("select");
    expect(focusKind(element("<input role='combobox' aria-expanded='true'>", "input"))).toBe("open");
    expect(focusKind(element("<div class='ant-modal'><button>x</button></div>", "button"))).toBe("open");
    expect(focusKind(element("<button role='switch'>x</button>", "button"))).toBe("choice");
    expect(focusKind(element("<a href='/'>x</a>", "a"))).toBe("link");
    expect(focusKind(element("<button><span>x</span></button>", "span"))).toBe("button");
    expect(focusKind(element("<div role='slider' tabindex='0'></div>", "div"))).toBe("slider");
    expect(focusKind(element("<canvas></canvas>", "canvas"))).toBe("none");
  });
});
