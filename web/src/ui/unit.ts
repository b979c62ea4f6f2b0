import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Unit } from "../engine/units";

interface UnitSetting {
  unit: Unit;
  turn: () => void;
}

/** Millimetres or inches: a setting of this desk; both are understood everywhere. */
export const useUnit = create<UnitSetting>()(
  persist((set) => ({ unit: "mm", turn: () => set(({ unit }) => ({ unit: unit === "mm" ? "in" : "mm" })) }), {
    name: "nibble-unit",
  }),
);
