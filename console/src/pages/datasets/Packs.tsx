import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
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
              <strong>{pack.title}</strong>: {said(pack)}{" "}
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

function said({ datasets, papers, loaded }: Schemas["Pack"]) {
  return `${count(datasets, "dataset")}, ${count(papers, "paper")}, loaded ${moment(loaded)}.`;
}
