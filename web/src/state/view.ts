import { create } from "zustand";

/** How the plate lies in the viewer: a plate pixel is zoom * aspect by zoom screen pixels, its corner at (x, y). */
export interface View {
  zoom: number;
  x: number;
  y: number;
  fitted: boolean;
  width: number;
  height: number;
  aspect: number;
  plateWidth: number;
  plateHeight: number;
}

interface ViewStore extends View {
  resize: (width: number, height: number) => void;
  setPlate: (width: number, height: number, aspect: number) => void;
  fit: () => void;
  zoomTo: (zoom: number, atX?: number, atY?: number) => void;
  pan: (dx: number, dy: number) => void;
}

const MARGIN = 14;
const SMALLEST = 0.05;
const LARGEST = 32;

function fitting(v: View): Partial<View> {
  const wide = (v.width - 2 * MARGIN) / (v.plateWidth * v.aspect);
  const tall = (v.height - 2 * MARGIN) / v.plateHeight;
  const zoom = Math.max(Math.min(wide, tall), SMALLEST);
  return {
    zoom,
    x: (v.width - v.plateWidth * v.aspect * zoom) / 2,
    y: (v.height - v.plateHeight * zoom) / 2,
    fitted: true,
  };
}

export const useView = create<ViewStore>((set) => ({
  zoom: 1,
  x: 0,
  y: 0,
  fitted: true,
  width: 1,
  height: 1,
  aspect: 1,
  plateWidth: 1,
  plateHeight: 1,
  resize: (width, height) =>
    set((v) => {
      const sized = { ...v, width, height };
      return v.fitted
        ? { width, height, ...fitting(sized) }
        : { width, height, x: v.x + (width - v.width) / 2, y: v.y + (height - v.height) / 2 };
    }),
  setPlate: (plateWidth, plateHeight, aspect) =>
    set((v) => ({ plateWidth, plateHeight, aspect, ...fitting({ ...v, plateWidth, plateHeight, aspect }) })),
  fit: () => set(fitting),
  zoomTo: (wanted, atX, atY) =>
    set((v) => {
      const zoom = Math.min(Math.max(wanted, SMALLEST), LARGEST);
      const cx = atX ?? v.width / 2;
      const cy = atY ?? v.height / 2;
      const factor = zoom / v.zoom;
      return { zoom, x: cx - (cx - v.x) * factor, y: cy - (cy - v.y) * factor, fitted: false };
    }),
  pan: (dx, dy) => set((v) => ({ x: v.x + dx, y: v.y + dy, fitted: false })),
}));

/** Plate pixels to screen pixels of the viewer. */
export function toScreen(v: View, x: number, y: number): [number, number] {
  return [x * v.zoom * v.aspect + v.x, y * v.zoom + v.y];
}

/** Screen pixels of the viewer to plate pixels. */
export function toPlate(v: View, x: number, y: number): [number, number] {
  return [(x - v.x) / (v.zoom * v.aspect), (y - v.y) / v.zoom];
}

/** Where the pointer is over the picture, in plate pixels. */
export const usePointer = create<{ at: [number, number] | null }>(() => ({ at: null }));
