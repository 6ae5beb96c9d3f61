export interface PointerAt {
  x: number;
  y: number;
  shift: boolean;
  alt: boolean;
  ctrl: boolean;
}

/** A drag that has begun: called with each move and at the end. */
export interface Gesture {
  move: (at: PointerAt) => void;
  end: (at: PointerAt, travelled: boolean) => void;
  /** What the wheel does meanwhile, where it does anything. */
  wheel?: (steps: number) => void;
}
