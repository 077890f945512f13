import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { Part } from "./Papers";

/** What the class has understood, by what its exercises are about: the least understood first. */
export function Topics({ of }: { of: Schemas["Overview"] }) {
  if (of.topics.length === 0) return null;
  return (
    <>
      <h2>What is hard for the class</h2>
      <table>
        <thead>
          <tr>
            <th>About</th>
            <th>Solved at the first try</th>
            <th>Solved at all</th>
            <th>Exercises</th>
          </tr>
        </thead>
        <tbody>
          {of.topics.map((topic) => (
            <tr key={topic.topic}>
              <td>{topic.topic}</td>
              <td>
                <Part part={topic.first} whole={topic.tried} />
              </td>
              <td>
                <Part part={topic.solved} whole={topic.tried} />
              </td>
              <td>
                {topic.exercises.map((address, i) => (
                  <span key={address}>
                    {i > 0 && ", "}
                    <Exercise address={address} course={of.course} />
                  </span>
                ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** An exercise, named PAPER/NUMBER, with the way to how the class gets on with it. */
function Exercise({ address, course }: { address: string; course: string }) {
  const [paper, number] = address.split("/");
  return <Link to={`/papers/${paper}/progress/${number}?${new URLSearchParams({ course })}`}>{address}</Link>;
}
