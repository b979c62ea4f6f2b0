import { chakra } from "@chakra-ui/react";
import { useId } from "react";
import type { Fields, Library } from "../api/client";
import { FieldRow, Select } from "./FieldRow";

type Kind = Library["turners"][string];

/** A value that comes in kinds: which it is, and what can be set of that. What another kind has too stays when it is
 * chosen. problem: what is wrong with a field. */
export function KindForm(props: {
  title: string;
  called: string;
  kinds: Readonly<Record<string, Kind>>;
  value: Fields;
  problem?: (name: string) => string;
  onChange: (value: Fields) => void;
}) {
  const { kinds, value, onChange } = props;
  const id = useId();
  const kind = String(value.kind);
  const choose = (other: string) => {
    const usual: Fields = kinds[other]?.usual ?? {};
    const kept = Object.fromEntries(Object.entries(value).filter(([name]) => name in usual));
    onChange({ ...usual, ...kept, kind: other });
  };
  return (
    <chakra.fieldset marginTop="16px" border="none" padding="0">
      <chakra.legend fontFamily="condensed" fontWeight={600} fontSize="19px">
        {props.title}
      </chakra.legend>
      <chakra.div
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(250px, 1fr))"
        gap="12px 24px"
        marginTop="4px"
      >
        <div>
          <chakra.label htmlFor={id} display="block" fontSize="13.5px" color="ink.soft">
            {props.called}
          </chakra.label>
          <Select id={id} value={kind} onChange={(event) => choose(event.target.value)}>
            {Object.keys(kinds).map((one) => (
              <option key={one}>{one}</option>
            ))}
          </Select>
        </div>
        {kinds[kind]?.fields.map((field) => (
          <FieldRow
            key={field.name}
            field={field}
            value={value[field.name]}
            problem={props.problem?.(field.name) ?? ""}
            onChange={(to) => onChange({ ...value, [field.name]: to })}
          />
        ))}
      </chakra.div>
    </chakra.fieldset>
  );
}
