import { create } from "zustand";
import { DARK, LIGHT, type Palette } from "./palette";

interface Mode {
  dark: boolean;
  turn: () => void;
}

const apply = (dark: boolean) => {
  document.documentElement.classList.toggle("dark", dark);
  document.documentElement.classList.toggle("light", !dark);
};

/** Light or dark, kept in the browser. */
export const useMode = create<Mode>((set, get) => {
  const dark = localStorage.getItem("plodek-dark") === "1";
  apply(dark);
  return {
    dark,
    turn: () => {
      const next = !get().dark;
      localStorage.setItem("plodek-dark", next ? "1" : "0");
      apply(next);
      set({ dark: next });
    },
  };
});

export const usePalette = (): Palette => (useMode((mode) => mode.dark) ? DARK : LIGHT);
