/** A word beside something in the picture, legible on whatever lies behind it. */
export function Label({
  x,
  y,
  colour,
  children,
}: {
  x: number;
  y: number;
  colour: string;
  children: string | number;
}) {
  return (
    <text
      x={x}
      y={y}
      fontSize={13}
      fontWeight={600}
      fill={colour}
      stroke="#101516"
      strokeWidth={3}
      paintOrder="stroke"
    >
      {children}
    </text>
  );
}
