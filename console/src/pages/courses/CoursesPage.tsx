import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, api } from "../../api/client";
import { Button } from "../../parts/Button";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count, moment } from "../../parts/words";
import { useSession } from "../../session";
import { NewCourse } from "./NewCourse";

/** The courses that one teaches; for administrators all. */
export function CoursesPage() {
  useTitle("Courses");
  const administrator = useSession().session!.account.administrator;
  const [makes, setMakes] = useState(false);
  const courses = useQuery({ queryKey: ["courses"], queryFn: () => answer(api.GET("/api/courses")) });
  return (
    <section className="page">
      <h1>Courses</h1>
      <Waiting query={courses}>
        {(list) => (
          <>
            {list.length === 0 && (
              <p className="quiet">There is no course yet. {!administrator && "An administrator makes them."}</p>
            )}
            {administrator &&
              (makes ? (
                <NewCourse onClose={() => setMakes(false)} />
              ) : (
                <p>
                  <Button onClick={() => setMakes(true)}>New course …</Button>
                </p>
              ))}
            <ul className="papers">
              {list.map((course) => (
                <li key={course.slug}>
                  <h2>
                    <Link to={`/courses/${course.slug}`}>{course.title}</Link>
                  </h2>
                  <p>
                    {course.archived && `Archived ${moment(course.archived)}. `}
                    {count(course.learners, "learner")}, {count(course.papers, "paper")}. Times in {course.zone}.
                  </p>
                </li>
              ))}
            </ul>
          </>
        )}
      </Waiting>
    </section>
  );
}
