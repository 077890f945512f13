import type { Schemas } from "../../api/client";

/** Why an attempt needs somebody's eye. */
export const causes: Record<Schemas["ReviewCause"], string> = {
  disputed: "Disputed",
  rule: "Right rows, rejected by a rule",
  stopped: "Stopped at a limit",
  recheck: "Changed by a recheck",
  answer: "A note was answered",
};
