import { chakra } from "@chakra-ui/react";
import type { Fields, Library } from "../api/client";
import { Button } from "../ui/Button";
import { FieldRow } from "./FieldRow";
import { freeId } from "./freeId";

/** A list of small records, a row of fields each. */
export function ItemsForm(props: {
  title: string;
  items: readonly Fields[];
  fields: Library["girth_fields"];
  /** Names of fields that say nothing of an item. */
  without?: (item: Fields) => readonly string[];
  adds: string;
  /** What another one begins with; the last there is. */
  next: (last: Fields | undefined) => Fields;
  onChange: (items: Fields[]) => void;
}) {
  const { items, fields } = props;
  const edit = (k: number, to: Fields) => props.onChange(items.map((one, n) => (n === k ? to : one)));
  return (
    <chakra.fieldset marginTop="14px" border="none" padding="0">
      <chakra.legend fontSize="15px" fontWeight={600}>
        {props.title}
      </chakra.legend>
      {items.map((item, k) => (
        <chakra.div
          key={String(item.id)}
          role="group"
          aria-label={`${props.title}, ${k + 1}`}
          display="grid"
          gridTemplateColumns="repeat(auto-fill, minmax(150px, 1fr))"
          gap="6px 12px"
          alignItems="end"
          paddingY="6px"
          borderBottom="1px solid {colors.hair.soft}"
        >
          {fields
            .filter(({ name }) => !props.without?.(item).includes(name))
            .map((field) => (
              <FieldRow
                key={field.name}
                field={field}
                value={item[field.name]}
                problem=""
                onChange={(to) => edit(k, { ...item, [field.name]: to })}
              />
            ))}
          <Button
            type="button"
            look="quiet"
            justifySelf="start"
            onClick={() => props.onChange(items.filter((_, n) => n !== k))}
          >
            remove
          </Button>
        </chakra.div>
      ))}
      <Button
        type="button"
        marginTop="6px"
        onClick={() => props.onChange([...items, { ...props.next(items.at(-1)), id: freeId("i", items) }])}
      >
        {props.adds}
      </Button>
    </chakra.fieldset>
  );
}
