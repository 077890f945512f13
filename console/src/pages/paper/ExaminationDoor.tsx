import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, problemOf, serviceNow, type Problem } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { Waiting } from "../../parts/Waiting";
import { count, dueTime, points, timeLeft } from "../../parts/words";

interface Props {
  paper: string;
  /** It is being written in another browser. */
  elsewhere: boolean;
}

/** What stands before an examination: how long it lasts, and the button that begins it, or goes on with it here. */
export function ExaminationDoor({ paper: slug, elsewhere }: Props) {
  const queries = useQueryClient();
  const [problem, setProblem] = useState<Problem>();
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")) });
  async function begin() {
    try {
      await answer(
        api.POST("/api/papers/{paper}/sitting", { params: { path: { paper: slug } }, body: { move: elsewhere } }),
      );
      await queries.invalidateQueries({ queryKey: ["papers"] });
      await queries.resetQueries({ queryKey: ["paper", slug] });
    } catch (error) {
      setProblem(problemOf(error));
    }
  }
  return (
    <section className="page">
      <Waiting query={papers}>
        {(list) => {
          const paper = list.find((p) => p.slug === slug);
          const exam = paper?.examination;
          if (!paper || !exam) return null;
          const left = Date.parse(exam.closes) - serviceNow();
          const minutes = Math.min(exam.minutes, Math.floor(left / 60_000));
          return (
            <>
              <h1>{paper.title}</h1>
              <p>
                An examination: {count(paper.exercises, "exercise")}, {points(paper.points)}.
              </p>
              {elsewhere ? (
                <p>
                  It is being written in another browser. It can be written in one browser at a time. If you go on here,
                  it ends there, and your instructor can see that it was moved. Drafts come along.
                </p>
              ) : (
                <p>
                  It lasts {count(exam.minutes, "minute")} from the moment at which you begin it, and can be written
                  until {dueTime(exam.closes)}
                  {left > 0 && `, in ${timeLeft(left)}`}.
                  {minutes < exam.minutes && left > 0 && (
                    <strong> If you begin now, {count(minutes, "minute")} are left.</strong>
                  )}{" "}
                  Your time runs on if you leave the page. You can write it in one browser at a time.
                </p>
              )}
              <p>
                <Button type="primary" onClick={() => void begin()}>
                  {elsewhere ? "Go on here" : "Begin the examination"}
                </Button>
              </p>
              {problem && <ProblemNote problem={problem} />}
            </>
          );
        }}
      </Waiting>
    </section>
  );
}
