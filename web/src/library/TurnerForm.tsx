import { chakra } from "@chakra-ui/react";
import { useId } from "react";
import type { Fields, Library } from "../api/client";
import { FieldRow, fresh, Select } from "./FieldRow";

/** What turns round things under a machine's head, if anything does. */
export function TurnerForm(props: { library: Library; turner: Fields; onChange: (turner: Fields) => void }) {
  const { library, turner } = props;
  const id = useId();
  const fields = library.turner_fields[String(turner.kind)] ?? [];
  const choose = (kind: string) => {
    const made = { ...fresh(library.turner_fields[kind] ?? []), ...USUAL };
    const known = (library.turner_fields[kind] ?? []).map(({ name }) => name);
    const kept = Object.fromEntries(
      Object.entries({ ...made, ...turner }).filter(([name]) => known.includes(name)),
    );
    props.onChange({ ...kept, kind });
  };
  return (
    <chakra.fieldset marginTop="16px" border="none" padding="0">
      <chakra.legend fontFamily="condensed" fontWeight={600} fontSize="19px">
        Round things
      </chakra.legend>
      <chakra.div
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(250px, 1fr))"
        gap="12px 24px"
        marginTop="4px"
      >
        <div>
          <chakra.label htmlFor={id} display="block" fontSize="13.5px" color="ink.soft">
            What turns them
          </chakra.label>
          <Select id={id} value={String(turner.kind)} onChange={(event) => choose(event.target.value)}>
            {Object.keys(library.turner_fields).map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </Select>
        </div>
        {fields.map((field) => (
          <FieldRow
            key={field.name}
            field={field}
            value={turner[field.name]}
            problem=""
            onChange={(to) => props.onChange({ ...turner, [field.name]: to })}
          />
        ))}
      </chakra.div>
    </chakra.fieldset>
  );
}

const USUAL = { correction: 1, widest: 120, longest: 320, a_turn: 360 };
