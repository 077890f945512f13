import type { Schemas } from "../../api/client";

/** What has become of a section, in words. */
export const kinds: Record<Schemas["SectionChange"]["kind"], string> = {
  added: "new",
  changed: "changed",
  moved: "moved",
  removed: "taken out",
  front: "title or times changed",
};
