/** The mark of a note on a picture: a seed with its number, `size` times larger; hollow where it is done. */
export function NotePin(props: { x: number; y: number; number: number; done: boolean; size: number }) {
  const { x, y, number, done, size } = props;
  return (
    <g transform={`translate(${x} ${y}) scale(${size})`} data-testid="note-pin" pointerEvents="none">
      <path
        d="M0 0 C-9 -6 -10 -18 0 -26 C10 -18 9 -6 0 0 Z"
        className={done ? "fill-cloth stroke-teal" : "fill-marigold stroke-ink"}
        strokeWidth={1.2}
      />
      <text
        y={-10}
        textAnchor="middle"
        className={`text-[11px] font-semibold ${done ? "fill-teal" : "fill-ink"}`}
      >
        {number}
      </text>
    </g>
  );
}
