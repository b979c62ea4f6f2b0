import type { Fields, Library } from "../api/client";
import { ItemsForm } from "./ItemsForm";
import { KindForm } from "./KindForm";

const CONES: readonly unknown[] = ["pointed", "a tapered ball"];
const POINTED = ["angle", "tip"];
const NOT_OF_A_DRILL = [...POINTED, "feed", "step_over"];
/** What the first cutter in a rack begins with. */
const A_CUTTER: Fields = {
  name: "6 mm flat cutter",
  kind: "flat",
  diameter: 6,
  angle: 60,
  tip: 0,
  flutes: 2,
  feed: 40,
  plunge: 10,
  spindle: 18_000,
  deepest_pass: 3,
  step_over: 0.4,
};

/** The kind of a machine, and all that its head can vary. problem: what is wrong, and with which value. */
export function HeadForm(props: {
  library: Library;
  head: Fields;
  problem: { where: string; words: string } | null;
  onChange: (head: Fields) => void;
}) {
  const { library, head, problem, onChange } = props;
  return (
    <>
      <KindForm
        title="What it works with"
        called="Kind of machine"
        kinds={library.heads}
        value={head}
        problem={(name) => (problem?.where === `head/${name}` ? problem.words : "")}
        onChange={onChange}
      />
      {"cutters" in head && (
        <ItemsForm
          title="Cutters in its rack"
          items={head.cutters as Fields[]}
          fields={library.cutter_fields}
          adds="Add a cutter"
          next={(last) => last ?? A_CUTTER}
          without={(cutter) =>
            CONES.includes(cutter.kind) ? [] : cutter.kind === "a drill" ? NOT_OF_A_DRILL : POINTED
          }
          onChange={(cutters) => onChange({ ...head, cutters })}
        />
      )}
      {"turner" in head && (
        <KindForm
          title="Round things"
          called="What turns them"
          kinds={library.turners}
          value={head.turner as Fields}
          onChange={(turner) => onChange({ ...head, turner })}
        />
      )}
    </>
  );
}
