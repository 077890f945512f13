import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useState, type ReactNode } from "react";
import { answer, api, problemOf, setCsrfToken, whenSessionEnds, type Session } from "./api/client";

interface Sessions {
  session: Session | null;
  loading: boolean;
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

/** Knows who is logged in. */
export function SessionProvider({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const [ended, setEnded] = useState(false);
  const { data, isPending } = useQuery({
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
  });
  const session = data ?? null;
  setCsrfToken(session?.csrf_token ?? "");
  useEffect(() => whenSessionEnds(() => setEnded(true)), []);

  async function logIn(name: string, password: string) {
    const next = await answer(api.POST("/api/session", { body: { name, password, kind: "cookie" } }));
    setCsrfToken(next.csrf_token ?? "");
    if (session && session.account.name !== next.account.name) forget();
    queries.setQueryData(["session"], next);
    setEnded(false);
    void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  }

  /** Forgets all but the session itself, which the page watches. */
  function forget() {
    queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  }

  async function logOut() {
    await answer(api.DELETE("/api/session")).catch(() => {});
    forget();
    setEnded(false);
    queries.setQueryData(["session"], null);
  }

  return <Context value={{ session, loading: isPending, ended: ended && session !== null, logIn, logOut, reload: () => queries.invalidateQueries({ queryKey: ["session"] }) }}>{children}</Context>;
}
