import { expect, it } from "vitest";
import { setBench, START, useBench } from "../state";
import { viewAt } from "./views";

it("keeps a view that the next step has, and leaves one that it has not", () => {
  expect(viewAt("match", "result")).toBe("result");
  expect(viewAt("handover", "difference")).toBe("difference");
  expect(viewAt("place", "zones")).toBe("plate");
  expect(viewAt("mask", "difference")).toBe("plate");
  expect(viewAt("match", "analysis")).toBe("plate");
  expect(viewAt("inspect", "coverage")).toBe("coverage");
});

it("goes with the step, whoever changes it", () => {
  setBench({ ...START, step: "mask", shown: "over" });
  setBench({ step: "inspect" });
  expect(useBench.getState().shown).toBe("plate");
  setBench({ shown: "analysis" });
  setBench({ step: "track" });
  expect(useBench.getState().shown).toBe("analysis");
  setBench({ step: "prepare", shown: "still" });
  expect(useBench.getState().shown).toBe("still");
});
