import { useEffect, useMemo, useSyncExternalStore } from "react";
import type { Exercise } from "../../api/client";
import { moment } from "../../parts/words";
import { useSession } from "../../session";
import { drafts, passes, type DraftState } from "../../work/drafts";
import type { Place } from "../../work/place";
import { submissions } from "../../work/submissions";

/** Where an exercise's answer belongs. */
export function usePlace({ paper, slug }: Exercise): Place {
  const account = useSession().session!.account.name;
  return useMemo(() => ({ account, paper, exercise: slug }), [account, paper, slug]);
}

/** The text of an exercise's answer space, which is saved as it is typed. */
export function useDraft(place: Place, exercise: Exercise) {
  const known = exercise.draft;
  const first = known?.sql ?? exercise.latest?.sql ?? "";
  const draft = useMemo(() => drafts.of(place, first, known), [place, first, known]); // the same one for the same place
  const state = useSyncExternalStore(draft.watch, () => draft.state);
  useEffect(() => draft.loaded(known), [draft, known]);
  return { draft, ...state, said: said(state) };
}

/** How a draft stands, in words. */
function said({ unsaved, saved, problem, conflict }: DraftState) {
  if (conflict) return "Draft not saved: it was changed in another window. Choose which version stays";
  if (problem)
    return `Draft not saved: ${problem.title.toLowerCase()}${passes(problem) ? ". Retrying automatically" : ""}`;
  if (unsaved) return "Saving …";
  return saved ? `Draft saved ${moment(saved)}` : "";
}

/** What was submitted for an exercise and has not become an attempt yet. */
export function useSubmission(place: Place) {
  return useSyncExternalStore(submissions.watch, () => submissions.at(place));
}
