/** Of what a browser says of itself: later names stand in the words of earlier ones, and are looked for first. */
const BROWSERS: [RegExp, string][] = [
  [/Edg\//, "Edge"],
  [/OPR\//, "Opera"],
  [/Firefox\//, "Firefox"],
  [/Chrom(e|ium)\//, "Chrome"],
  [/Safari\//, "Safari"],
];
const SYSTEMS: [RegExp, string][] = [
  [/Windows/, "Windows"],
  [/Android/, "Android"],
  [/iPhone|iPad/, "iOS"],
  [/Mac OS/, "macOS"],
  [/Linux/, "Linux"],
];

/** Tells a browser in a few words; as it says itself where it is none of those known. */
export function browserWords(about: string): string {
  const of = (known: [RegExp, string][]) => known.find(([mark]) => mark.test(about))?.[1];
  const browser = of(BROWSERS);
  const system = of(SYSTEMS);
  if (!browser) return about || "A browser that says nothing of itself";
  return system ? `${browser} on ${system}` : browser;
}
