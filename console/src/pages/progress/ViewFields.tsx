import { Button } from "../../parts/Button";
import type { Show } from "./GridCell";
import { everybody, states, type Learner, type State, type View } from "./view";

interface Props {
  learners: Learner[];
  view: View;
  show: Show;
  /** How many learners are shown. */
  found: number;
  onView(view: View): void;
  onShow(show: Show): void;
}

/** Which learners are shown in a grid, and what of their cells. */
export function ViewFields({ learners, view, show, found, onView, onShow }: Props) {
  const groups = [...new Set(learners.map((learner) => learner.group ?? ""))].filter(Boolean).sort();
  const set = (change: Partial<View>) => onView({ ...view, ...change });
  return (
    <form
      role="search"
      aria-label="Learners shown"
      className="actions view-fields"
      onSubmit={(event) => event.preventDefault()}
    >
      <label>
        Find <input type="search" value={view.find} onChange={(e) => set({ find: e.target.value })} />
      </label>
      {groups.length > 0 && (
        <label>
          Group{" "}
          <select value={view.group} onChange={(e) => set({ group: e.target.value })}>
            <option value="">all</option>
            {groups.map((group) => (
              <option key={group}>{group}</option>
            ))}
          </select>
        </label>
      )}
      <label>
        Who{" "}
        <select value={view.state} onChange={(e) => set({ state: e.target.value as State | "" })}>
          <option value="">all</option>
          {Object.entries(states).map(([state, words]) => (
            <option key={state} value={state}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <label>
        Marks from <input type="number" min={0} value={view.from} onChange={(e) => set({ from: e.target.value })} />
      </label>
      <label>
        to <input type="number" min={0} value={view.to} onChange={(e) => set({ to: e.target.value })} />
      </label>
      <label>
        Sort by{" "}
        <select value={view.sort} onChange={(e) => set({ sort: e.target.value as View["sort"] })}>
          <option value="name">name</option>
          <option value="group">group</option>
          <option value="mark">mark</option>
          <option value="attempts">attempts</option>
          <option value="last">last attempt</option>
        </select>
      </label>
      <label>
        Show{" "}
        <select value={show} onChange={(e) => onShow(e.target.value as Show)}>
          <option value="outcome">outcomes</option>
          <option value="attempts">attempts, shaded</option>
          <option value="time">time, shaded</option>
        </select>
      </label>
      {found < learners.length && (
        <>
          <span className="quiet">
            {found} of {learners.length}
          </span>
          <Button size="small" onClick={() => onView({ ...everybody, sort: view.sort, down: view.down })}>
            Show all
          </Button>
        </>
      )}
    </form>
  );
}
