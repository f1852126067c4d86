/** What the route says under each stage. */

import { whole } from "./numbers";
import type { Model, Quality } from "./types";

export const STAGES = ["Shape", "Blocks", "Spacing", "Smooth", "Check", "Hand-off"] as const;
export type Stage = (typeof STAGES)[number];

export interface StageWord {
  text: string;
  state: "empty" | "good" | "wrong";
}

const many = (n: number, word: string) => `${whole(n)} ${word}${n === 1 ? "" : "s"}`;

/** Tells a stage's state in words. */
export function stageWord(stage: Stage, model: Model, quality: Quality | null): StageWord {
  const blocks = model.blocks.filter((block) => !block.hollow).length;
  const empty = (text: string): StageWord => ({ text, state: "empty" });
  const good = (text: string): StageWord => ({ text, state: "good" });
  const wrong = (text: string): StageWord => ({ text, state: "wrong" });
  switch (stage) {
    case "Shape":
      return model.guides.length
        ? good(`${many(model.guides.length, "guide")} · ${model.unit}`)
        : empty(`no guides · ${model.unit}`);
    case "Blocks":
      if (model.findings.length) return wrong(`${many(model.findings.length, "block fault")}`);
      return blocks ? good(many(blocks, "block")) : empty("no blocks yet");
    case "Spacing":
      return blocks
        ? good(`${many(model.tiers.length, "tier")} · ${many(model.cells, "cell")}`)
        : empty("no tiers yet");
    case "Smooth": {
      const run = quality?.runs.at(-1);
      if (run) return good(`${whole(run.sweeps)} sweeps, ${run.note || "all run"}`);
      return empty(model.smoothing ? "to be run" : "not run");
    }
    case "Check": {
      if (!quality) return empty("no grid yet");
      if (quality.folded) return wrong(many(quality.folded, "folded cell"));
      if (quality.passed) return good("gate passed");
      const leaking = quality.parts.find((one) => one.metric === "leaks")?.missed ?? 0;
      if (leaking) return wrong(many(leaking, "leak"));
      const cells = quality.parts.filter((one) => !/^(sag|crease)/.test(one.metric));
      const missed = [...quality.metrics, ...cells].reduce((n, one) => n + one.missed, 0);
      return wrong(missed ? `${many(missed, "cell")} below gate` : "guides missed");
    }
    case "Hand-off": {
      if (!model.faces) return empty("no faces yet");
      if (!model.unnamed_faces)
        return good(
          `${many(model.patches.length, "patch").replace("patchs", "patches")}, all named`,
        );
      const state = `${whole(model.unnamed_faces)} faces unnamed`;
      return model.patches.length ? wrong(state) : empty(state);
    }
  }
}
