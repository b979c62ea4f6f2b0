import { chakra } from "@chakra-ui/react";
import type { Value } from "../ui/slots";

const Svg = chakra("svg");
const WIDTH = 300;
const HEIGHT = 44;

interface Props {
  tones: readonly number[];
  /** Grey level from which paper begins, 0 to 1. */
  level: number;
  path: string;
  onDraft: (path: string, value: Value) => void;
  onTake: (path: string, value: Value) => void;
}

/** How much of the picture is of each tone, and where ink ends and paper begins: pressed or dragged to set it. */
export function ToneScale({ tones, level, path, onDraft, onTake }: Props) {
  const bar = WIDTH / tones.length;
  const at = (event: React.PointerEvent<Element>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const share = (event.clientX - box.left) / box.width;
    return Math.round(100 * Math.min(0.99, Math.max(0.01, share))) / 100;
  };
  return (
    <chakra.div padding="4px 20px 10px 26px" aria-hidden="true">
      <Svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        height="44px"
        preserveAspectRatio="none"
        cursor="ew-resize"
        touchAction="none"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          onDraft(path, at(event));
        }}
        onPointerMove={(event) => {
          if (event.currentTarget.hasPointerCapture(event.pointerId)) onDraft(path, at(event));
        }}
        onPointerUp={(event) => {
          if (event.currentTarget.hasPointerCapture(event.pointerId)) onTake(path, at(event));
        }}
      >
        <rect width={level * WIDTH} height={HEIGHT} fill="rgba(30,42,46,.10)" />
        {tones.map((share, index) => (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: a tone is its place
            key={index}
            x={index * bar}
            y={HEIGHT - share * HEIGHT}
            width={bar * 0.86}
            height={share * HEIGHT}
            fill={(index + 0.5) / tones.length < level ? "#1E2A2E" : "#9AA39C"}
          />
        ))}
        <rect x={level * WIDTH - 1} width="2" height={HEIGHT} fill="#8A5F00" />
      </Svg>
      <chakra.div display="flex" fontSize="13px" color="ink.soft" lineHeight="1.3">
        <span style={{ width: `${100 * level}%`, textAlign: "right", paddingRight: "6px" }}>ink</span>
        <span style={{ borderLeft: "1.5px solid #8A5F00", paddingLeft: "6px" }}>paper</span>
      </chakra.div>
    </chakra.div>
  );
}
