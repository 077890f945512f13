import { useEffect, useMemo, useSyncExternalStore } from "react";
import { useSession } from "../../session";
import { PaperText } from "../../work/paperText";

/** The text of a paper, open for writing as long as the page is there. */
export function useText(paper: string) {
  const account = useSession().session!.account.name;
  const text = useMemo(() => new PaperText(paper, account), [paper, account]);
  useEffect(() => text.open(), [text]);
  const state = useSyncExternalStore(text.watch, () => text.state);
  const problem = useSyncExternalStore(text.watch, () => text.problem);
  return { text, state, problem };
}
