// Where names stand beside the ends of their lines. Pure.

/** Heights as near to those wanted as they can be, `apart` pixels from each other and between 0 and `most`.
 *
 * In the order given; where there is no room for all of them at that distance, they stand closer. */
export function spreadOut(wanted: readonly number[], apart: number, most: number): number[] {
  const order = wanted.map((_, i) => i).sort((a, b) => (wanted[a] ?? 0) - (wanted[b] ?? 0));
  const gap = Math.min(apart, most / Math.max(1, order.length - 1));
  const found = [...wanted];
  // Downwards each stands clear of the one above it; then upwards those that went too far are brought back.
  order.forEach((i, k) => {
    const above = order[k - 1];
    found[i] = Math.max(wanted[i] ?? 0, above === undefined ? 0 : (found[above] ?? 0) + gap);
  });
  let limit = most;
  for (const i of order.toReversed()) {
    found[i] = Math.min(found[i] ?? 0, limit);
    limit = found[i] - gap;
  }
  return found;
}
