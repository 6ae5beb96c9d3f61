/** Which frame is looked at, and how time runs. */
export interface TimeSlice {
  frame: number;
  /** Time of the event that asked for the frame, for measuring. */
  asked: number;
  playing: boolean;
  loop: [number, number] | null;
}

export const TIME: TimeSlice = { frame: 0, asked: 0, playing: false, loop: null };
