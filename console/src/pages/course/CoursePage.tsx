import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { moment } from "../../parts/words";
import { clocksOf } from "../../parts/zoned";
import { useSession } from "../../session";
import { CourseActions } from "./CourseActions";
import { Members } from "./Members";
import { SetPapers } from "./SetPapers";
import { Webhooks } from "./Webhooks";

/** A course: the papers that are set for it, and the people in it. */
export function CoursePage() {
  const { course: slug = "" } = useParams();
  const { account } = useSession().session!;
  const course = useQuery({
    queryKey: ["course", slug],
    queryFn: () => answer(api.GET("/api/courses/{course}", { params: { path: { course: slug } } })),
  });
  useTitle(course.data?.title ?? "Course");
  return (
    <section className="page wide course">
      <Waiting query={course} page="The course">
        {(detail) => {
          const may = rights(detail, account);
          const follows = detail.members.some((m) => m.name === account.name && !m.left && m.role !== "learner");
          return (
            <>
              <h1>{detail.title}</h1>
              <p className="quiet">
                {detail.archived && `Archived ${moment(detail.archived)}: it can be read, and nothing is done in it. `}
                Times are {clocksOf(detail.zone)}. {follows && <Link to={`/courses/${slug}/overview`}>Overview</Link>}
              </p>
              <CourseActions course={detail} may={may} />
              <SetPapers course={detail} may={may} />
              <Members course={detail} may={may} />
              {may.instruct && <Webhooks course={slug} />}
            </>
          );
        }}
      </Waiting>
    </section>
  );
}

/** What one may do in a course. */
export interface Rights {
  /** Set papers and marks. */
  instruct: boolean;
  /** Say who is in it. */
  manage: boolean;
  /** Take it out of the archive. */
  unarchive: boolean;
}

function rights(course: Schemas["CourseDetail"], account: Schemas["Account"]): Rights {
  const own = course.members.find((member) => member.name === account.name && !member.left);
  const instructor = own?.role === "instructor";
  const manages = instructor || account.administrator === true;
  const open = !course.archived;
  return { instruct: instructor && open, manage: manages && open, unarchive: manages && !open };
}
