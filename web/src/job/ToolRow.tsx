import { chakra } from "@chakra-ui/react";
import { formatLength } from "../engine/units";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import type { StationKey } from "./stations";
import { type Tool, toolsAt } from "./tools";
import { REACHES, type Reach } from "./touchUps";

const Input = chakra("input");
const LEAST = 0.2;
const MOST = 60;

interface Props {
  station: StationKey;
  /** Where the bed of a machine lies under its sheet, so that clamps can be drawn on it. */
  bedIsKnown: boolean;
  tool: Tool;
  brush: number;
  reach: Reach;
  onTool: (tool: Tool) => void;
  onBrush: (width: number) => void;
  onReach: (reach: Reach) => void;
}

/** What can be done by hand on the table, as words to choose from. */
export function ToolRow({ station, bedIsKnown, tool, brush, reach, onTool, onBrush, onReach }: Props) {
  const { unit } = useUnit();
  const tools = toolsAt(station).filter((one) => one.key !== "clamp" || bedIsKnown);
  if (tools.length < 3) return null;
  return (
    <chakra.section
      aria-label="By hand"
      padding="7px 16px 8px 22px"
      background="paper"
      borderTop="1px solid {colors.hair.soft}"
    >
      <chakra.div
        role="group"
        aria-label="Tools"
        display="flex"
        flexWrap="wrap"
        gap="3px"
        alignItems="center"
      >
        <chakra.span color="ink.soft" fontSize="13.5px" marginRight="3px">
          By hand
        </chakra.span>
        {tools.map((one) => (
          <Button
            key={one.key}
            type="button"
            data-tool={one.key}
            aria-pressed={one.key === tool.key}
            title={one.words}
            minHeight="24px"
            paddingX="5.5px"
            fontSize="13.5px"
            onClick={() => onTool(one)}
            background={one.key === tool.key ? "ink" : "paper.white"}
            color={one.key === tool.key ? "paper" : "ink"}
          >
            {one.name}
          </Button>
        ))}
      </chakra.div>
      {station === "trace" && tool.key === "choose" && (
        <chakra.div
          role="group"
          aria-label="A click reaches"
          display="flex"
          flexWrap="wrap"
          gap="3px"
          alignItems="center"
          marginTop="5px"
        >
          <chakra.span color="ink.soft" fontSize="13.5px" marginRight="3px">
            A click takes
          </chakra.span>
          {REACHES.map((one) => (
            <Button
              key={one}
              type="button"
              aria-pressed={one === reach}
              minHeight="24px"
              paddingX="5.5px"
              fontSize="13.5px"
              onClick={() => onReach(one)}
              background={one === reach ? "ink" : "paper.white"}
              color={one === reach ? "paper" : "ink"}
            >
              {one === "only this" ? one : `all ${one}`}
            </Button>
          ))}
        </chakra.div>
      )}
      {tool.wide && (
        <chakra.label display="flex" alignItems="center" gap="8px" marginTop="8px">
          Brush
          <Input
            type="range"
            aria-label="Width of the brush"
            min={Math.log(LEAST)}
            max={Math.log(MOST)}
            step="0.02"
            value={Math.log(brush)}
            flex="1"
            height="24px"
            accentColor="#8A5F00"
            onChange={(event) => onBrush(Math.exp(Number(event.target.value)))}
          />
          <chakra.b fontWeight={600} minWidth="64px">
            {formatLength(brush, unit)}
          </chakra.b>
        </chakra.label>
      )}
    </chakra.section>
  );
}
