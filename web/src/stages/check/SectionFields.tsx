import { Flex, Input } from "@chakra-ui/react";
import { useState } from "react";
import { lengthIn, short } from "../../model/numbers";
import type { Section } from "../../model/types";

export const Check = ({
  label,
  on,
  set,
}: {
  label: string;
  on: boolean;
  set: (on: boolean) => void;
}) => (
  <Flex as="label" align="center" gap="1" cursor="pointer">
    <input type="checkbox" checked={on} onChange={(event) => set(event.target.checked)} />
    {label}
  </Flex>
);

interface TypedProps {
  label: string;
  text: string;
  unit: string | null;
  set: (value: number) => void;
}

/** A number that can be typed, with a unit where it is a length. */
export function Typed({ label, text, unit, set }: TypedProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const keep = () => {
    if (typed !== null) {
      const value = unit === null ? Number(typed) : lengthIn(typed, unit);
      if (value !== null && Number.isFinite(value)) set(value);
    }
    setTyped(null);
  };
  return (
    <Input
      size="2xs"
      width="84px"
      fontFamily="mono"
      textAlign="right"
      borderColor="rule"
      aria-label={label}
      value={typed ?? text}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}

/** The places that a plane goes through, or the middle and the axis of a round section, as typed. */
export function Places({ section, change }: { section: Section; change: (to: Section) => void }) {
  const told = placesOf(section)
    .map((place) => place.map((v) => short(v, 6)).join(", "))
    .join("; ");
  const [typed, setTyped] = useState<string | null>(null);
  const read = (typed ?? told).split(";").map((place) => place.split(",").map(Number));
  const right =
    read.length === placesOf(section).length &&
    read.every((place) => place.length === 3 && place.every(Number.isFinite));
  const keep = () => {
    if (typed !== null && right) change(placed(section, read));
    if (right) setTyped(null);
  };
  return (
    <Input
      size="2xs"
      mt="1"
      fontFamily="mono"
      borderColor={right ? "rule" : "madder"}
      aria-label={
        section.through ? "Three places" : section.kind === "sphere" ? "Centre" : "Place; axis"
      }
      title="x, y, z; the next after a semicolon"
      value={typed ?? told}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}

const placesOf = (section: Section): number[][] =>
  section.through ??
  (section.kind === "sphere"
    ? [section.point ?? [0, 0, 0]]
    : [section.point ?? [0, 0, 0], section.axis ?? [0, 0, 1]]);

function placed(section: Section, places: number[][]): Section {
  if (section.through) return { ...section, through: places };
  const [point = [0, 0, 0], axis] = places;
  return axis ? { ...section, point, axis } : { ...section, point };
}
