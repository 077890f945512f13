import type { Schemas } from "../../api/client";

/** Why an attempt needs somebody's eye: as it is said of one, and of those that are looked for. */
export const causes: Record<Schemas["ReviewCause"], { said: string; is: string }> = {
  disputed: { said: "Disputed", is: "is disputed" },
  rule: { said: "Right rows, rejected by a rule", is: "has the right rows, against a rule" },
  stopped: { said: "Stopped at a limit", is: "was stopped at a limit" },
  recheck: { said: "Changed by a recheck", is: "was changed by a recheck" },
  answer: { said: "A note was answered", is: "has an answer to a note" },
};
