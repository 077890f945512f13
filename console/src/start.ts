// Asks for the page, and for what it will ask the service, before the rest of the console is here.
import { ask } from "./api/early";

const { pathname } = location;
const paper = /^\/papers\/([^/]+)$/.exec(pathname)?.[1];

ask("/api/session");
if (paper) {
  ask(`/api/papers/${paper}`);
  void import("./pages/paper/PaperPage");
} else if (pathname === "/") {
  ask("/api/papers");
  void import("./pages/papers/PapersPage");
}
void import("./main");
