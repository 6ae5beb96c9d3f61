import { Look } from "./slices/looks";

export const LOOKS: { name: Look; label: string }[] = [
  { name: "plate", label: "Plate" },
  { name: "matte", label: "Matte" },
  { name: "cutout", label: "Cut-out" },
  { name: "composite", label: "Composite" },
  { name: "eye", label: "Tracker's eye" },
  { name: "flat", label: "Flat pane" },
];
