/** Bounds of a share as those of a percentage. */
export const percent = ({ min, max }: { min: number; max: number }) => ({ min: min * 100, max: max * 100 });
