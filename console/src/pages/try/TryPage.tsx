import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useLocation, useNavigate, useSearchParams } from "react-router";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { useSession } from "../../session";
import { TablesDrawer } from "../paper/TablesDrawer";
import { KeepAs } from "./KeepAs";
import { TextList } from "./TextList";
import { TryText } from "./TryText";
import { useLoose } from "./useLoose";
import { useOwnText } from "./useOwnText";

export type OwnText = Schemas["OwnText"];

/** A text from elsewhere that is to be tried. */
export interface ToTry {
  dataset: string;
  sql: string;
}

/** A place to try things that belongs to no exercise: any dataset that one may read, and texts kept under names. */
export function TryPage({ dark }: { dark: boolean }) {
  useTitle("Try");
  const [search, setSearch] = useSearchParams();
  const chosen = search.get("text");
  const choose = (id?: string) => setSearch(id ? { text: id } : {});
  const texts = useQuery({ queryKey: ["texts"], queryFn: () => answer(api.GET("/api/texts")) });
  const datasets = useQuery({ queryKey: ["datasets"], queryFn: () => answer(api.GET("/api/datasets")) });
  const text = texts.data?.find((t) => t.id === chosen);
  const [tables, setTables] = useState<string | null>(null); // the dataset whose tables are shown
  return (
    <section className="page wide try">
      <h1>Try</h1>
      <p className="quiet">What you run here belongs to no exercise, and nothing is marked.</p>
      <Waiting query={texts}>
        {(all) => (
          <Waiting query={datasets}>
            {(list) =>
              list.length === 0 ? (
                <p className="quiet">
                  There is no dataset for you yet. With your first paper, its dataset stands here.
                </p>
              ) : (
                <div className="try-columns">
                  <TextList texts={all} chosen={text?.id} onChoose={choose} />
                  {text ? (
                    <Kept key={text.id} text={text} datasets={list} onGo={choose} onTables={setTables} />
                  ) : (
                    <Loose datasets={list} onGo={choose} onTables={setTables} />
                  )}
                </div>
              )
            }
          </Waiting>
        )}
      </Waiting>
      <TablesDrawer dataset={tables ?? ""} dark={dark} open={tables !== null} onClose={() => setTables(null)} />
    </section>
  );
}

interface Props {
  datasets: Schemas["DatasetSummary"][];
  /** Goes to another text, or to the one without a name. */
  onGo(id?: string): void;
  onTables(dataset: string): void;
}

/** The text that has no name yet; the browser keeps it. */
function Loose({ datasets, onGo, onTables }: Props) {
  const account = useSession().session!.account.name;
  const { text, change } = useLoose(account, datasets[0].name);
  const given = useLocation().state as ToTry | null;
  const navigate = useNavigate();
  useEffect(() => {
    if (!given) return;
    change(given);
    void navigate("/try", { replace: true, state: null });
  }, [given, change, navigate]);
  return (
    <TryText text={text} datasets={datasets} onChange={change} onTables={onTables}>
      <KeepAs
        label="Keep as …"
        text={text}
        onKept={(kept) => {
          change({ sql: "" });
          onGo(kept.id);
        }}
      />
    </TryText>
  );
}

/** A text that is kept under a name, and saved as it is typed. */
function Kept({ text: known, datasets, onGo, onTables }: Props & { text: OwnText }) {
  const queries = useQueryClient();
  const account = useSession().session!.account.name;
  const { text, change, said, conflict, settle } = useOwnText(account, known);
  const [wrong, setWrong] = useState("");
  const remove = async () => {
    try {
      await answer(api.DELETE("/api/texts/{text}", { params: { path: { text: known.id } } }));
      await queries.invalidateQueries({ queryKey: ["texts"] });
      onGo();
    } catch (error) {
      setWrong(problemOf(error).title);
    }
  };
  return (
    <TryText name={known.name} text={text} datasets={datasets} onChange={change} onTables={onTables}>
      <KeepAs label="Rename …" name={known.name} text={text} known={known} onKept={() => {}} />
      <KeepAs label="Copy …" text={text} onKept={(copy) => onGo(copy.id)} />
      <Button size="small" onClick={() => void remove()}>
        Remove
      </Button>
      <span className="quiet draft-state" role="status">
        {wrong || said}
      </span>
      {conflict && (
        <p role="alert">
          Another window has saved a later version of this text.{" "}
          <Button size="small" onClick={() => settle("mine")}>
            Keep what stands here
          </Button>{" "}
          <Button size="small" onClick={() => settle("theirs")}>
            Take the other version
          </Button>
        </p>
      )}
    </TryText>
  );
}
