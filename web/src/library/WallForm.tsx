import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, type Fields, type Library } from "../api/client";
import { useUnit } from "../ui/unit";
import { FieldRow } from "./FieldRow";
import { ItemsForm } from "./ItemsForm";
import { type Girth, ProfileDrawing } from "./ProfileDrawing";

const FOOT = ["foot_diameter", "foot_girth", "taper"];
const INK = "#1E2A2E";

/** How a round thing is measured: by calipers, tape and rule, whatever there is; what follows is drawn. */
export function WallForm(props: { library: Library; wall: Fields; onChange: (wall: Fields) => void }) {
  const { library, wall } = props;
  const set = (name: string, to: unknown) => {
    const begun = name === "shape" && to === "a profile" && !(wall.girths as unknown[] | undefined)?.length;
    props.onChange({ ...wall, ...(begun ? { girths: firstGirths(wall) } : {}), [name]: to });
  };
  const profile = wall.shape === "a profile";
  const fields = library.wall_fields.filter(
    ({ name }) => name === "shape" || (!profile && (wall.shape === "tapered" || !FOOT.includes(name))),
  );
  return (
    <chakra.fieldset marginTop="20px" border="none" padding="0">
      <chakra.legend fontFamily="condensed" fontWeight={600} fontSize="19px">
        Its wall
      </chakra.legend>
      <chakra.div display="grid" gridTemplateColumns={profile ? "1fr 270px" : "1fr 190px"} gap="20px">
        <chakra.div
          display="grid"
          gridTemplateColumns="repeat(auto-fill, minmax(210px, 1fr))"
          gap="12px 24px"
          alignContent="start"
          marginTop="6px"
        >
          {fields.map((field) => (
            <FieldRow
              key={field.name}
              field={field}
              value={wall[field.name]}
              problem=""
              onChange={(to) => set(field.name, to)}
            />
          ))}
        </chakra.div>
        <Silhouette wall={wall} onGirths={(girths) => set("girths", girths)} />
      </chakra.div>
      {profile && (
        <ItemsForm
          title="Diameters, from the rim down"
          items={(wall.girths ?? []) as Fields[]}
          fields={library.girth_fields}
          adds="Add a diameter"
          next={(last) => ({
            height: Number(last?.height ?? -20) + 20,
            diameter: Number(last?.diameter ?? 80),
          })}
          onChange={(girths) => set("girths", girths)}
        />
      )}
      <ItemsForm
        title="Parts that stay free"
        items={(wall.free ?? []) as Fields[]}
        fields={library.free_fields}
        adds="Add a part"
        next={() => ({ what: "the handle", middle: 0, wide: 60, below: 0, to: null })}
        onChange={(free) => set("free", free)}
      />
    </chakra.fieldset>
  );
}

/** What a profile begins with: the rim, the middle and the foot of the wall as it was measured. */
function firstGirths(wall: Fields): Girth[] {
  const high = Number(wall.height ?? wall.along ?? 100);
  const rim = Number(wall.rim_diameter ?? Number(wall.rim_girth ?? 80 * Math.PI) / Math.PI);
  const foot = Number(wall.foot_diameter ?? rim);
  return [0, 0.5, 1].map((share, k) => ({
    id: `i${k + 1}`,
    height: Math.round(2 * share * high) / 2,
    diameter: Math.round(2 * (rim + share * (foot - rim))) / 2,
  }));
}

/** The wall from the side, as its measures make it, or what is wrong with them; a profile is drawn by hand. */
function Silhouette(props: { wall: Fields; onGirths: (girths: Girth[]) => void }) {
  const { wall } = props;
  const { unit } = useUnit();
  const { data } = useQuery({
    queryKey: ["wall", JSON.stringify(wall)],
    queryFn: () => api.wall(wall),
    placeholderData: (before) => before,
  });
  if (!data) return <div />;
  if (data.problem)
    return (
      <chakra.p role="status" fontSize="14px" color="#8C2F1B" marginTop="6px">
        {data.problem}
      </chakra.p>
    );
  const places = data.wall as [number, number][];
  const high = places.at(-1)?.[0] ?? 1;
  const wide = Math.max(...places.map(([, radius]) => radius));
  const right = places.map(([z, r]) => `${r} ${z}`);
  const left = [...places].reverse().map(([z, r]) => `${-r} ${z}`);
  const said = (value: number) =>
    unit === "in" ? `${(value / 25.4).toFixed(2)} in` : `${value.toFixed(1)} mm`;
  const rim = 2 * (places[0]?.[1] ?? 0);
  const foot = 2 * (places.at(-1)?.[1] ?? 0);
  const measures = `${said(rim)} across at the rim, ${said(foot)} at the foot, ${said(high)} high`;
  if (wall.shape === "a profile")
    return (
      <chakra.figure margin="0" textAlign="center">
        <ProfileDrawing
          places={places}
          girths={(wall.girths ?? []) as Girth[]}
          label={measures}
          onChange={props.onGirths}
        />
        <chakra.figcaption fontSize="13.5px" color="ink.soft">
          Drag a diameter; click on the wall to add one.
        </chakra.figcaption>
      </chakra.figure>
    );
  return (
    <chakra.figure margin="0" textAlign="center">
      <svg
        viewBox={`${-wide * 1.05} ${-high * 0.03} ${2.1 * wide} ${high * 1.06}`}
        width="170"
        height="170"
        role="img"
        aria-label={measures}
      >
        <path
          d={`M${[...right, ...left].join("L")}Z`}
          fill="#E4EAE5"
          stroke={INK}
          strokeWidth="1.4"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <chakra.figcaption fontSize="13.5px" color="ink.soft">
        {said(rim)} at the rim, {said(foot)} at the foot, {said(high)} high
      </chakra.figcaption>
    </chakra.figure>
  );
}
