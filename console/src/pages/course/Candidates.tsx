import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { inZone } from "../../parts/zoned";

interface Props {
  course: Schemas["CourseDetail"];
  paper: string;
}

/** Who has begun an examination, until when it lasts for them, and whether they went on in another browser. */
export function Candidates({ course, paper }: Props) {
  const candidates = useQuery({
    queryKey: ["candidates", course.slug, paper],
    queryFn: () =>
      answer(
        api.GET("/api/courses/{course}/papers/{paper}/candidates", {
          params: { path: { course: course.slug, paper } },
        }),
      ),
    refetchInterval: 10_000,
  });
  return (
    <Waiting query={candidates}>
      {(list) =>
        list.length === 0 ? (
          <p className="quiet">Nobody has begun yet.</p>
        ) : (
          <ul className="candidates">
            {list.map((c) => (
              <li key={c.name}>
                <strong>{c.display_name}</strong>, begun {inZone(c.begun, course.zone)}, ends{" "}
                {inZone(c.ends, course.zone)}
                {c.moved > 0 && `; went on in another browser ${c.moved === 1 ? "once" : `${c.moved} times`}`}
              </li>
            ))}
          </ul>
        )
      }
    </Waiting>
  );
}
