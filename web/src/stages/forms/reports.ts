import { useBoardData } from "../../session/context";

/** What steps would have to say if the draft were kept, that none says now. */
export function useNewReports(): string[] {
  const { preview, model } = useBoardData();
  if (!preview || preview.error) return [];
  const told = new Set(model.steps.flatMap((step) => step.report.map((said) => said.text)));
  const fresh = preview.model.steps.flatMap((step) => step.report.map((said) => said.text));
  return fresh.filter((text) => !told.has(text));
}
