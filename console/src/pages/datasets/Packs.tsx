import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api/client";
import { count, moment } from "../../parts/words";

/** The packs that are loaded; each can be saved as it is now, with the papers that were changed here. */
export function Packs() {
  const packs = useQuery({ queryKey: ["packs"], queryFn: () => answer(api.GET("/api/packs")) });
  if (!packs.data?.length) return null;
  return (
    <section>
      <h2>Packs</h2>
      <ul className="papers">
        {packs.data.map((pack) => (
          <li key={pack.name}>
            <p>
              <strong>{pack.title}</strong>: {count(pack.datasets, "dataset")}, {count(pack.papers, "paper")}, loaded{" "}
              {moment(pack.loaded)}.{" "}
              <a href={`/api/packs/${pack.name}/files`} download={`${pack.name}.zip`}>
                Save {pack.name} as a ZIP file
              </a>
            </p>
          </li>
        ))}
      </ul>
    </section>
  );
}
