/** How far long work is. */
export function Progress({ share, label }: { share: number; label: string }) {
  const percent = Math.round(Math.min(Math.max(share, 0), 1) * 100);
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={percent}
      aria-valuemin={0}
      aria-valuemax={100}
      className="h-1 w-full overflow-hidden rounded-full bg-hem"
    >
      <div className="h-full rounded-full bg-teal" style={{ width: `${percent}%` }} />
    </div>
  );
}
