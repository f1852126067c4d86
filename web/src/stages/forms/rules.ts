/** Selectors put together of rules: what any of them finds, what each of others finds too, but not others. */

export type Rule = Record<string, unknown>;

/** How a rule joins those before it. */
export type Joint = "any" | "every" | "but";

export type Rules = Record<Joint, Rule[]>;

/** Takes a selector apart; a plain rule stands alone under `any`. */
export function apart(value: unknown): Rules {
  const found: Rules = { any: [], every: [], but: [] };
  if (!value || typeof value !== "object") return found;
  let inner = value as Rule;
  if (Array.isArray(inner.but)) {
    found.but = inner.but as Rule[];
    inner = inner.of as Rule;
  }
  if (Array.isArray(inner.every)) {
    const [first, ...others] = inner.every as Rule[];
    found.every = others;
    inner = first as Rule;
  }
  found.any = Array.isArray(inner.any) ? (inner.any as Rule[]) : [inner];
  return found;
}

/** Puts rules together again; without one to begin with there is no selector. */
export function together({ any, every, but }: Rules): Rule | undefined {
  const [first, ...more] = any;
  if (!first) return undefined;
  let found: Rule = more.length ? { any } : first;
  if (every.length) found = { every: [found, ...every] };
  return but.length ? { of: found, but } : found;
}

/** Joins one more rule to a selector. */
export function joined(value: unknown, joint: Joint, rule: Rule): Rule | undefined {
  const rules = apart(value);
  return together({ ...rules, [joint]: [...rules[joint], rule] });
}

/** Replaces a rule of a selector, or takes it out. */
export function changed(value: unknown, joint: Joint, at: number, rule?: Rule): Rule | undefined {
  const rules = apart(value);
  const list = rules[joint].flatMap((one, n) => (n !== at ? [one] : rule ? [rule] : []));
  return together({ ...rules, [joint]: list });
}
