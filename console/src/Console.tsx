import { Suspense, useEffect, useSyncExternalStore, type ReactNode } from "react";
import { Navigate, Route, Routes } from "react-router";
import { Beginning } from "./parts/Beginning";
import { Frame } from "./parts/Frame";
import { lazily } from "./parts/lazily";
import { SessionProvider, useSession, type Preferences } from "./session";

type Look = Preferences["look"];

// Each page loads when it is gone to; those of a learner's work do without Ant Design.
const Antd = lazily(() => import("./parts/Antd").then((m) => m.Antd));
const BuildPage = lazily(() => import("./pages/build/BuildPage").then((m) => m.BuildPage));
const CoursePage = lazily(() => import("./pages/course/CoursePage").then((m) => m.CoursePage));
const CoursesPage = lazily(() => import("./pages/courses/CoursesPage").then((m) => m.CoursesPage));
const DatasetPage = lazily(() => import("./pages/dataset/DatasetPage").then((m) => m.DatasetPage));
const DatasetsPage = lazily(() => import("./pages/datasets/DatasetsPage").then((m) => m.DatasetsPage));
const ExercisesPage = lazily(() => import("./pages/exercises/ExercisesPage").then((m) => m.ExercisesPage));
const FirstPassword = lazily(() => import("./pages/password/FirstPassword").then((m) => m.FirstPassword));
const HistoryPage = lazily(() => import("./pages/history/HistoryPage").then((m) => m.HistoryPage));
const ImportPage = lazily(() => import("./pages/import/ImportPage").then((m) => m.ImportPage));
const LearnerPage = lazily(() => import("./pages/history/LearnerPage").then((m) => m.LearnerPage));
const LogInAgain = lazily(() => import("./pages/login/LogInAgain").then((m) => m.LogInAgain));
const LogInPage = lazily(() => import("./pages/login/LogInPage").then((m) => m.LogInPage));
const ServicePage = lazily(() => import("./pages/service/ServicePage").then((m) => m.ServicePage));
const LogPage = lazily(() => import("./pages/log/LogPage").then((m) => m.LogPage));
const MapPage = lazily(() => import("./pages/map/MapPage").then((m) => m.MapPage));
const MarksPage = lazily(() => import("./pages/progress/MarksPage").then((m) => m.MarksPage));
const MarkingPage = lazily(() => import("./pages/marking/MarkingPage").then((m) => m.MarkingPage));
const OverviewPage = lazily(() => import("./pages/overview/OverviewPage").then((m) => m.OverviewPage));
const PaperPage = lazily(() => import("./pages/paper/PaperPage").then((m) => m.PaperPage));
const PapersPage = lazily(() => import("./pages/papers/PapersPage").then((m) => m.PapersPage));
const PasswordPage = lazily(() => import("./pages/password/PasswordPage").then((m) => m.PasswordPage));
const StrengthenPage = lazily(() => import("./pages/strengthen/StrengthenPage").then((m) => m.StrengthenPage));
const PublishPage = lazily(() => import("./pages/write/PublishPage").then((m) => m.PublishPage));
const RecheckPage = lazily(() => import("./pages/recheck/RecheckPage").then((m) => m.RecheckPage));
const SamePage = lazily(() => import("./pages/progress/SamePage").then((m) => m.SamePage));
const TryPage = lazily(() => import("./pages/try/TryPage").then((m) => m.TryPage));
const VersionsPage = lazily(() => import("./pages/write/VersionsPage").then((m) => m.VersionsPage));
const WritePage = lazily(() => import("./pages/write/WritePage").then((m) => m.WritePage));
const ClassPage = lazily(() => import("./pages/progress/ClassPage").then((m) => m.ClassPage));
const TimelinePage = lazily(() => import("./pages/history/TimelinePage").then((m) => m.TimelinePage));
const ProgressPage = lazily(() => import("./pages/progress/ProgressPage").then((m) => m.ProgressPage));

const system = matchMedia("(prefers-color-scheme: dark)");

/** Whether the look is dark: as chosen, else as the system says. What was chosen last also holds before the log-in. */
function useDark(chosen?: Look): boolean {
  const systemDark = useSyncExternalStore(
    (changed) => {
      system.addEventListener("change", changed);
      return () => system.removeEventListener("change", changed);
    },
    () => system.matches,
  );
  const look = chosen ?? localStorage.getItem("look") ?? "system";
  const dark = look === "system" ? systemDark : look === "dark";
  useEffect(() => {
    localStorage.setItem("look", look);
    document.documentElement.dataset.look = dark ? "dark" : "light";
  }, [look, dark]);
  return dark;
}

export function Console() {
  return (
    <SessionProvider>
      <Dressed />
    </SessionProvider>
  );
}

/** The console in its colours. */
function Dressed() {
  const { session } = useSession();
  const dark = useDark(session?.preferences.look);
  return (
    <Suspense fallback={null}>
      <Pages dark={dark} />
    </Suspense>
  );
}

function Pages({ dark }: { dark: boolean }) {
  const { session, loading, problem, ended } = useSession();
  if (loading) return <Beginning problem={problem} />;
  if (!session) return <LogInPage />;
  const dressed = (page: ReactNode) => <Antd dark={dark}>{page}</Antd>;
  if (session.account.one_time_password) return dressed(<FirstPassword />);
  return (
    <Frame key={session.account.name}>
      {ended && (
        <Suspense>
          <LogInAgain />
        </Suspense>
      )}
      <Suspense fallback={<p className="quiet page">Loading …</p>}>
        <Routes>
          <Route path="/" element={<PapersPage />} />
          <Route path="/papers/:paper" element={<PaperPage dark={dark} />} />
          <Route path="/papers/:paper/progress" element={dressed(<ProgressPage />)} />
          <Route path="/papers/:paper/progress/:exercise" element={dressed(<ClassPage />)} />
          <Route path="/papers/:paper/marks" element={<MarksPage />} />
          <Route path="/papers/:paper/same" element={<SamePage />} />
          <Route path="/papers/:paper/write" element={<WritePage dark={dark} />} />
          <Route path="/papers/:paper/publish" element={<PublishPage />} />
          <Route path="/papers/:paper/strengthen" element={<StrengthenPage />} />
          <Route path="/papers/:paper/recheck" element={<RecheckPage />} />
          <Route path="/papers/:paper/versions" element={<VersionsPage />} />
          <Route path="/courses" element={<CoursesPage />} />
          <Route path="/courses/:course" element={<CoursePage />} />
          <Route path="/courses/:course/overview" element={<OverviewPage />} />
          <Route path="/courses/:course/import" element={<ImportPage />} />
          <Route path="/service" element={<ServicePage />} />
          <Route path="/log" element={<LogPage />} />
          <Route path="/marking" element={<MarkingPage />} />
          <Route path="/exercises" element={<ExercisesPage />} />
          <Route path="/datasets" element={dressed(<DatasetsPage />)} />
          <Route path="/datasets/:dataset" element={dressed(<DatasetPage />)} />
          <Route path="/datasets/:dataset/map" element={dressed(<MapPage dark={dark} />)} />
          <Route path="/builds/:job" element={dressed(<BuildPage />)} />
          <Route path="/history" element={<HistoryPage />} />
          <Route path="/try" element={<TryPage dark={dark} />} />
          <Route path="/password" element={dressed(<PasswordPage />)} />
          <Route path="/learners/:learner/timeline" element={<TimelinePage />} />
          <Route path="/learners/:learner" element={<LearnerPage />} />
          <Route path="*" element={<Navigate to="/" replace />} />
        </Routes>
      </Suspense>
    </Frame>
  );
}
