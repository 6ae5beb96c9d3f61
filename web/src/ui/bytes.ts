const STEPS = ["B", "kB", "MB", "GB", "TB"];

/** A number of bytes as people read it, with decimal steps: 34 MB, 1.2 GB. */
export function bytesText(bytes: number): string {
  let value = bytes;
  let step = 0;
  while (value >= 999.5 && step < STEPS.length - 1) {
    value /= 1000;
    step += 1;
  }
  return `${value >= 10 || step === 0 ? Math.round(value) : value.toFixed(1)} ${STEPS[step]}`;
}
