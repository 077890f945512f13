import { App, ConfigProvider, theme } from "antd";
import { lazy, Suspense, useEffect, useState } from "react";
import { Navigate, Route, Routes } from "react-router";
import { BuildPage } from "./pages/build/BuildPage";
import { DatasetPage } from "./pages/dataset/DatasetPage";
import { DatasetsPage } from "./pages/datasets/DatasetsPage";
import { HistoryPage } from "./pages/history/HistoryPage";
import { LearnerPage } from "./pages/history/LearnerPage";
import { LogInAgain } from "./pages/login/LogInAgain";
import { LogInPage } from "./pages/login/LogInPage";
import { PaperPage } from "./pages/paper/PaperPage";
import { FirstPassword } from "./pages/password/FirstPassword";
import { PasswordPage } from "./pages/password/PasswordPage";
import { PapersPage } from "./pages/papers/PapersPage";
import { ProgressPage } from "./pages/progress/ProgressPage";
import { Beginning } from "./parts/Beginning";
import { Frame } from "./parts/Frame";
import { SessionProvider, useSession } from "./session";

const MapPage = lazy(() => import("./pages/map/MapPage").then((m) => ({ default: m.MapPage }))); // its parts are large, and not every page needs them

/** Light or dark: as chosen here, else as the system says. */
function useDark(): [boolean, () => void] {
  const [dark, setDark] = useState(() => {
    const chosen = localStorage.getItem("look");
    return chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  });
  useEffect(() => {
    document.documentElement.dataset.look = dark ? "dark" : "light";
  }, [dark]);
  return [
    dark,
    () => {
      localStorage.setItem("look", dark ? "light" : "dark");
      setDark(!dark);
    },
  ];
}

export function Console() {
  const [dark, turn] = useDark();
  return (
    <ConfigProvider
      theme={{
        algorithm: dark ? theme.darkAlgorithm : theme.defaultAlgorithm,
        token: {
          colorPrimary: dark ? "#8fb4d6" : "#1f4b6e",
          colorBgContainer: dark ? "#1e1d1a" : "#fdfaf3",
          colorBgElevated: dark ? "#292722" : "#fdfaf3",
          colorTextPlaceholder: dark ? "#a8a294" : "#6b675e",
          colorLink: dark ? "#8fb4d6" : "#1f4b6e",
          colorLinkHover: dark ? "#b5d0ea" : "#163a57",
          colorLinkActive: dark ? "#b5d0ea" : "#163a57",
          colorInfo: dark ? "#8fb4d6" : "#1f4b6e",
          colorBgBase: dark ? "#1e1d1a" : "#fdfaf3",
          colorTextBase: dark ? "#e9e4d8" : "#2b2a27",
          colorTextLightSolid: dark ? "#1e1d1a" : "#fdfaf3",
          borderRadius: 4,
          fontFamily: "system-ui, 'Liberation Sans', sans-serif",
        },
      }}
    >
      <App>
        <SessionProvider>
          <Pages dark={dark} turn={turn} />
        </SessionProvider>
      </App>
    </ConfigProvider>
  );
}

function Pages({ dark, turn }: { dark: boolean; turn: () => void }) {
  const { session, loading, problem } = useSession();
  if (loading) return <Beginning problem={problem} />;
  if (!session) return <LogInPage />;
  if (session.account.one_time_password) return <FirstPassword />;
  return (
    <Frame key={session.account.name} dark={dark} turn={turn}>
      <LogInAgain />
      <Routes>
        <Route path="/" element={<PapersPage />} />
        <Route path="/papers/:paper" element={<PaperPage dark={dark} />} />
        <Route path="/papers/:paper/progress" element={<ProgressPage />} />
        <Route path="/datasets" element={<DatasetsPage />} />
        <Route path="/datasets/:dataset" element={<DatasetPage />} />
        <Route
          path="/datasets/:dataset/map"
          element={
            <Suspense fallback={<p className="quiet page">Loading ...</p>}>
              <MapPage dark={dark} />
            </Suspense>
          }
        />
        <Route path="/builds/:job" element={<BuildPage />} />
        <Route path="/history" element={<HistoryPage />} />
        <Route path="/password" element={<PasswordPage />} />
        <Route path="/learners/:learner" element={<LearnerPage />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </Frame>
  );
}
