import { chakra } from "@chakra-ui/react";

const Svg = chakra("svg");

/** Nibble's mark: a sheet with a bite out of its corner. */
export function Mark() {
  return (
    <Svg width="24px" height="24px" viewBox="0 0 24 24" aria-hidden="true">
      <path d="M2 2h13a4 4 0 0 0 7 4v16H2z" fill="#22323A" />
      <circle cx="19.5" cy="3.5" r="1.6" fill="#E9A50C" />
    </Svg>
  );
}

/** The state of a station: by shape and word as well as colour. */
export function StateBadge({ state, count }: { state: string; count: number }) {
  const words: Record<string, string> = {
    fine: "fine",
    look: count === 1 ? "needs a look" : `${count} things need a look`,
    blocked: "blocked",
    waiting: "waiting",
    working: "working",
  };
  return (
    <chakra.span title={words[state]} display="inline-flex" verticalAlign="middle">
      <Svg width="16px" height="16px" viewBox="0 0 16 16" aria-hidden="true">
        {state === "fine" && (
          <>
            <circle cx="8" cy="8" r="7" fill="#2F6B42" />
            <path d="M4.6 8.3l2.3 2.3 4.4-4.8" stroke="#fff" strokeWidth="1.7" fill="none" />
          </>
        )}
        {state === "look" && <rect x="1" y="1" width="14" height="14" rx="3" fill="#E9A50C" />}
        {state === "blocked" && <path d="M8 .6L15.4 8 8 15.4.6 8z" fill="#8C2F1B" />}
        {state === "waiting" && (
          <circle cx="8" cy="8" r="6.2" fill="none" stroke="#8b8874" strokeWidth="1.5" />
        )}
        {state === "working" && (
          <circle
            cx="8"
            cy="8"
            r="6.2"
            fill="none"
            stroke="#1E2A2E"
            strokeWidth="1.5"
            strokeDasharray="5 3"
          />
        )}
        {(state === "look" || state === "blocked") && (
          <text
            x="8"
            y="11.7"
            textAnchor="middle"
            fontSize="10.5"
            fontWeight="700"
            fill={state === "look" ? "#3b2900" : "#fff"}
          >
            {state === "look" ? Math.max(count, 1) : "!"}
          </text>
        )}
      </Svg>
      <chakra.span srOnly>{words[state]}</chakra.span>
    </chakra.span>
  );
}
