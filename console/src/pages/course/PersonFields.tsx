import type { Schemas } from "../../api/client";

type Place = Schemas["MemberPlace"];

interface Props {
  person: Place;
  onChange(person: Place): void;
}

/** How somebody is called, and what they are in a course. */
export function PersonFields({ person, onChange }: Props) {
  const set = (change: Partial<Place>) => onChange({ ...person, ...change });
  return (
    <>
      <label>
        Name{" "}
        <input maxLength={200} value={person.display_name} onChange={(e) => set({ display_name: e.target.value })} />
      </label>
      <label>
        E-mail <input type="email" value={person.email} onChange={(e) => set({ email: e.target.value })} />
      </label>
      <label>
        Role{" "}
        <select value={person.role} onChange={(e) => set({ role: e.target.value as Place["role"] })}>
          <option value="learner">learner</option>
          <option value="assistant">assistant: sees all work, sets no papers and no marks</option>
          <option value="instructor">instructor</option>
        </select>
      </label>
      <label>
        Group <input maxLength={100} value={person.group} onChange={(e) => set({ group: e.target.value })} />
      </label>
    </>
  );
}
