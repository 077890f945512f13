import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useState, type ReactNode } from "react";
import {
  answer,
  api,
  problemOf,
  setCsrfToken,
  whenSessionEnds,
  type Problem,
  type Schemas,
  type Session,
} from "./api/client";
import { drafts } from "./work/drafts";
import { submissions } from "./work/submissions";
import { forgetUndo } from "./work/undo";

interface Sessions {
  session: Session | null;
  loading: boolean;
  /** Why it is not known yet who is logged in; it is asked again automatically. */
  problem: Problem | null;
  /** The session ended while the page was open: the page stays, and asks to log in again. */
  ended: boolean;
  logIn(name: string, password: string): Promise<void>;
  logOut(): Promise<void>;
  /** Asks anew who is logged in. */
  reload(): Promise<void>;
}

const Context = createContext<Sessions | null>(null);

export function useSession(): Sessions {
  return useContext(Context)!;
}

export type Preferences = Schemas["Preferences"];

const usual: Preferences = { text_size: 14, wrap: true, look: "system", mail: true };

/** How whoever is logged in likes to see the console; the service remembers it. */
export function usePreferences() {
  const queries = useQueryClient();
  const { session } = useSession();
  const preferences = session?.preferences ?? usual;
  return {
    preferences,
    prefer(change: Partial<Preferences>) {
      const next = { ...preferences, ...change };
      queries.setQueryData(["session"], (now?: Session | null) => now && { ...now, preferences: next });
      void answer(api.PUT("/api/preferences", { body: next })).catch(() => {}); // the page has it
    },
  };
}

/** Knows who is logged in. */
export function SessionProvider({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const [ended, setEnded] = useState(false);
  const { data, isPending, failureReason } = useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      try {
        return await answer(api.GET("/api/session"));
      } catch (error) {
        if (problemOf(error).status === 401) return null;
        throw error;
      }
    },
    staleTime: Infinity,
    retry: true, // the console is nothing without it
  });
  const session = data ?? null;
  setCsrfToken(session?.csrf_token ?? "");
  useEffect(() => whenSessionEnds(() => setEnded(true)), []);
  // Only what belongs to whoever is logged in is sent.
  const account = session && !ended && !session.account.one_time_password ? session.account.name : null;
  useEffect(() => {
    drafts.use(account);
    submissions.use(account);
  }, [account]);
  useEffect(() => {
    // The paper as it was loaded learns of what is saved, so that leaving the page and coming back shows it.
    drafts.onSaved = ({ paper, exercise }, draft) =>
      queries.setQueryData(
        ["paper", paper],
        (loaded?: Schemas["Paper"]) => loaded && withDraft(loaded, exercise, draft),
      );
    submissions.onStored = ({ paper }) => void queries.invalidateQueries({ queryKey: ["paper", paper] });
  }, [queries]);

  async function logIn(name: string, password: string) {
    const next = await answer(api.POST("/api/session", { body: { name, password, kind: "cookie" } }));
    setCsrfToken(next.csrf_token ?? "");
    if (session && session.account.name !== next.account.name) {
      drafts.use(null); // what the one before left unsaved waits for them in the browser
      drafts.forget();
      forget();
    }
    queries.setQueryData(["session"], next);
    setEnded(false);
    void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  }

  /** Forgets all but the session itself, which the page watches. */
  function forget() {
    forgetUndo();
    queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  }

  async function logOut() {
    await Promise.race([drafts.save(), new Promise((done) => setTimeout(done, 5000))]);
    await answer(api.DELETE("/api/session")).catch(() => {});
    drafts.use(null);
    drafts.forget();
    submissions.use(null);
    forget();
    setEnded(false);
    queries.setQueryData(["session"], null);
  }

  return (
    <Context
      value={{
        session,
        loading: isPending,
        problem: isPending && failureReason ? problemOf(failureReason) : null,
        ended: ended && session !== null,
        logIn,
        logOut,
        reload: () => queries.invalidateQueries({ queryKey: ["session"] }),
      }}
    >
      {children}
    </Context>
  );
}

function withDraft(paper: Schemas["Paper"], slug: string, draft: Schemas["Draft"]): Schemas["Paper"] {
  const sections = paper.sections.map((s) =>
    s.exercise?.slug === slug ? { ...s, exercise: { ...s.exercise, draft } } : s,
  );
  return { ...paper, sections };
}
