import "@fontsource/source-serif-4/400.css";
import "@fontsource/source-serif-4/400-italic.css";
import "@fontsource/source-serif-4/600.css";
import "@fontsource/jetbrains-mono/400.css";
import "@fontsource/jetbrains-mono/600.css";
import "./look.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { problemOf } from "./api/client";
import { Console } from "./Console";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // What a server is down for passes; what it says no to does not.
      retry: (failures, error) => {
        const { status } = problemOf(error);
        return (status === 0 || status >= 500) && failures < 60;
      },
      retryDelay: 2000,
      staleTime: 5000,
      networkMode: "always", // a call without a network fails and says so, and does not wait in silence
    },
    mutations: { networkMode: "always" },
  },
});

createRoot(document.getElementById("console")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Console />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
