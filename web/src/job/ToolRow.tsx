import { chakra } from "@chakra-ui/react";
import { formatLength } from "../engine/units";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import type { StationKey } from "./stations";
import { type Tool, toolsAt } from "./tools";

const Input = chakra("input");
const LEAST = 0.2;
const MOST = 60;

interface Props {
  station: StationKey;
  tool: Tool;
  brush: number;
  onTool: (tool: Tool) => void;
  onBrush: (width: number) => void;
}

/** What can be done by hand on the table, as words to choose from. */
export function ToolRow({ station, tool, brush, onTool, onBrush }: Props) {
  const { unit } = useUnit();
  const tools = toolsAt(station);
  if (tools.length < 3) return null;
  return (
    <chakra.section
      aria-label="By hand"
      padding="11px 20px 12px 26px"
      borderTop="1px solid {colors.hair.soft}"
    >
      <chakra.div
        role="group"
        aria-label="Tools"
        display="flex"
        flexWrap="wrap"
        gap="4px"
        alignItems="center"
      >
        <chakra.span color="ink.soft" marginRight="2px">
          By hand:
        </chakra.span>
        {tools.map((one) => (
          <Button
            key={one.key}
            type="button"
            data-tool={one.key}
            aria-pressed={one.key === tool.key}
            title={one.words}
            minHeight="26px"
            paddingX="7px"
            onClick={() => onTool(one)}
            background={one.key === tool.key ? "ink" : "paper.white"}
            color={one.key === tool.key ? "paper" : "ink"}
          >
            {one.name}
          </Button>
        ))}
      </chakra.div>
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
