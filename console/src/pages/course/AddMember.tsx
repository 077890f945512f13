import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { PersonFields } from "./PersonFields";
import type { Slip } from "./Slips";
import { useChange } from "./useChange";

interface Props {
  course: string;
  onSlip(slip: Slip): void;
  onClose(): void;
}

/** Adds one person to a course; without an account they get one, with a one-time password. */
export function AddMember({ course, onSlip, onClose }: Props) {
  const [login, setLogin] = useState("");
  const [person, setPerson] = useState<Schemas["MemberPlace"]>({
    display_name: "",
    email: "",
    role: "learner",
    group: "",
  });
  const { change, problem, busy } = useChange(course);
  const add = () =>
    change(async () => {
      const body = { name: login, ...person };
      const added = await answer(api.POST("/api/courses/{course}/members", { params: { path: { course } }, body }));
      if (added.password) onSlip({ ...added.member, password: added.password, until: added.until });
      onClose();
    });
  return (
    <form
      className="course-form"
      aria-label="Add somebody"
      onSubmit={(event) => {
        event.preventDefault();
        void add();
      }}
    >
      <label>
        Login <input required value={login} onChange={(event) => setLogin(event.target.value)} />
      </label>
      <PersonFields person={person} onChange={setPerson} />
      <p className="quiet">Whoever has an account with this login keeps it, with its name.</p>
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy}>
          Add
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
