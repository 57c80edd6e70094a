// What the machine page computes.

/** Numbers of cores worth a look: half, same, half as many again, twice. */
export const coresToTry = (cores: number): number[] =>
  [...new Set([Math.max(1, Math.floor(cores / 2)), cores, Math.ceil(cores * 1.5), cores * 2])].sort((a, b) => a - b);
