import { useQuery } from "@tanstack/react-query";
import { Button } from "../../../parts/Button";
import { answer, api, type Schemas } from "../../../api/client";
import { useInSight } from "../../../parts/useInSight";
import { Waiting } from "../../../parts/Waiting";

type Step = Schemas["PlanStep"];

/** How the database would work out a statement: the last step first, what its rows come of beneath. */
export function PlanView({ of, onClose }: { of: Schemas["RunRequest"]; onClose(): void }) {
  const plan = useQuery({
    queryKey: ["plan", of],
    queryFn: () => answer(api.POST("/api/plans", { body: of })),
    staleTime: 60_000,
    retry: false,
  });
  const part = useInSight(plan.isPending);
  return (
    <section ref={part} className="plan" aria-label="How the statement would be worked out">
      <div className="tools-line">
        <h3>How the database would work it out</h3>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </div>
      <Waiting query={plan}>
        {(step) => (
          <>
            <p className="quiet">
              An estimate: nothing was run. Each step takes the rows of the steps beneath it; the first step stands
              last. Cost counts work, and one is about the reading of a page of a table. It has no part in marks.
            </p>
            <ul className="plan-steps">
              <StepItem step={step} whole={step.cost} />
            </ul>
          </>
        )}
      </Waiting>
    </section>
  );
}

function StepItem({ step, whole }: { step: Step; whole: number }) {
  const beneath = step.steps.reduce((sum, s) => sum + s.cost, 0);
  const share = whole > 0 ? Math.max(0, Math.min(1, (step.cost - beneath) / whole)) : 0;
  return (
    <li>
      <p>
        {step.when && <em>{step.when}: </em>}
        {step.does}
        {step.where && (
          <>
            , where <code>{step.where}</code>
          </>
        )}
        <small>
          {" "}
          about {step.rows === 1 ? "1 row" : `${step.rows.toLocaleString("en")} rows`}, cost{" "}
          {step.cost.toLocaleString("en", { maximumFractionDigits: 1 })}
          {share >= 0.005 && <>, {Math.round(share * 100)} % of it in this step</>}
        </small>
      </p>
      {step.steps.length > 0 && (
        <ul>
          {step.steps.map((s, i) => (
            <StepItem key={i} step={s} whole={whole} />
          ))}
        </ul>
      )}
    </li>
  );
}
