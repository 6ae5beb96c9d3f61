/** Made from the API's description by `make schema`; not to be edited. */

/** What a number may be, by schema and property. */
export const bounds = {
  AddJoint: {
    width: { min: 0, max: 5000 },
  },
  AmountRow: {
    amount: { min: 0, max: 4 },
  },
  Carrier: {
    margin: { min: 0, max: 100 },
    smoothing: { min: 0, max: 50 },
  },
  CarryRequest: {
    tolerance: { min: 0, max: 1 },
  },
  Correction: {
    first: { min: 0, max: 9999999 },
    pixel_aspect: { min: 0.1, max: 10 },
    rate_den: { min: 1, max: 1000000 },
    rate_num: { min: 1, max: 1000000 },
  },
  Cover: {
    fade_in: { min: 0, max: 1000 },
    fade_out: { min: 0, max: 1000 },
    grow: { min: -100, max: 100 },
    phase: { min: -360, max: 360 },
    shutter: { min: 0, max: 720 },
  },
  DepthRow: {
    far: { min: 0, max: 400 },
    near: { min: 0, max: 400 },
  },
  Doubt: {
    need: { min: 0, max: 1 },
  },
  DrawnLine: {
    tolerance: { min: 0.05, max: 100 },
  },
  EditRequest: {
    revision: { min: 0 },
  },
  Evidence: {
    agreement: { min: 0, max: 1 },
    overlap: { min: 0, max: 1 },
    residual: { min: 0 },
    texture: { min: 0, max: 1 },
  },
  FileClaim: {
    size: { min: 0 },
  },
  Floating: {
    across: { min: -20, max: 20 },
    distance: { min: -20, max: 20 },
    down: { min: -20, max: 20 },
    focal: { min: 10, max: 1000000 },
    size: { min: 0.01, max: 20 },
    swing: { min: -3600, max: 3600 },
    tilt: { min: -3600, max: 3600 },
    turn: { min: -3600, max: 3600 },
  },
  FollowedFrame: {
    confidence: { min: 0, max: 1 },
  },
  FollowedPoint: {
    pattern: { min: 9, max: 301 },
    search: { min: 11, max: 1001 },
  },
  FreezeRegion: {
    index: { min: 0 },
  },
  GlassRow: {
    amount: { min: 0, max: 4 },
  },
  GlowRow: {
    amount: { min: 0, max: 4 },
    width: { min: 0, max: 400 },
  },
  GrainRow: {
    amount: { min: 0, max: 4 },
  },
  Insert: {
    angle: { min: -3600, max: 3600 },
    speed: { min: -20, max: 20 },
  },
  InsertPoint: {
    segment: { min: 0 },
  },
  Item: {
    moments: { min: 1, max: 32 },
  },
  Joint: {
    width: { min: 0, max: 5000 },
  },
  Keeping: {
    handles: { min: 0, max: 1000 },
    scale: { min: 0.05, max: 1 },
  },
  Key: {
    turns: { min: -20, max: 20 },
  },
  KeySettings: {
    denoise: { min: 0, max: 4 },
    gamma: { min: 0.1, max: 10 },
    high: { min: 0, max: 1 },
    low: { min: 0, max: 1 },
  },
  LevelRow: {
    gamma: { min: 0.1, max: 10 },
    saturation: { min: 0, max: 4 },
  },
  MixRow: {
    amount: { min: 0, max: 1 },
  },
  MotionRow: {
    phase: { min: -360, max: 360 },
    shutter: { min: 0, max: 720 },
  },
  NewNote: {
    x: { min: -100000, max: 100000 },
    y: { min: -100000, max: 100000 },
  },
  Order: {
    handles: { min: 0, max: 1000 },
    scale: { min: 0.05, max: 1 },
  },
  Outline: {
    fade_in: { min: 0, max: 1000 },
    fade_out: { min: 0, max: 1000 },
  },
  OutlineView: {
    fade_in: { min: 0, max: 1000 },
    fade_out: { min: 0, max: 1000 },
  },
  Pane: {
    aspect: { min: 0.02, max: 50 },
    bow: { min: -0.5, max: 0.5 },
    edges: { min: -0.2, max: 0.2 },
    opacity: { min: 0, max: 1 },
    radius: { min: 0, max: 0.5 },
    soft: { min: 0, max: 500 },
  },
  Pick: {
    shown: { max: 1 },
  },
  Piece: {
    angle: { min: -3600, max: 3600 },
    fade_in: { min: 0, max: 1000 },
    fade_out: { min: 0, max: 1000 },
    opacity: { min: 0, max: 1 },
    speed: { min: -20, max: 20 },
  },
  PinCorner: {
    index: { min: 0, max: 3 },
  },
  Placement: {
    across: { min: -20, max: 20 },
    down: { min: -20, max: 20 },
    scale: { min: 0.01, max: 50 },
    turn: { min: -3600, max: 3600 },
  },
  Plate: {
    count: { min: 1 },
    height: { min: 1 },
    rate_den: { min: 1 },
    rate_num: { min: 1 },
    width: { min: 1 },
  },
  Preset: {
    handles: { min: 0, max: 1000 },
    scale: { min: 0.05, max: 1 },
  },
  Range: {
    soft: { min: 0, max: 10000 },
  },
  RemoveJoint: {
    index: { min: 0 },
  },
  RemoveRegion: {
    index: { min: 0 },
  },
  RestoreRequest: {
    revision: { min: 0 },
  },
  RideRegion: {
    index: { min: 0 },
  },
  SetCarrier: {
    margin: { min: 0, max: 100 },
    smoothing: { min: 0, max: 50 },
  },
  SetCover: {
    fade_in: { min: 0, max: 1000 },
    fade_out: { min: 0, max: 1000 },
    grow: { min: -100, max: 100 },
    phase: { min: -360, max: 360 },
    shutter: { min: 0, max: 720 },
  },
  SetJoint: {
    index: { min: 0 },
    width: { min: 0, max: 5000 },
  },
  SetOutline: {
    fade_in: { min: 0, max: 1000 },
    fade_out: { min: 0, max: 1000 },
  },
  SetPane: {
    aspect: { min: 0.02, max: 50 },
    bow: { min: -0.5, max: 0.5 },
    edges: { min: -0.2, max: 0.2 },
    opacity: { min: 0, max: 1 },
    radius: { min: 0, max: 0.5 },
    soft: { min: 0, max: 500 },
  },
  SetPoint: {
    pattern: { min: 9, max: 301 },
    search: { min: 11, max: 1001 },
  },
  SetPointKind: {
    roundness: { min: 0, max: 3 },
  },
  SetSubject: {
    beyond: { min: 0, max: 200 },
    near: { min: 0, max: 500 },
    opacity: { min: 0, max: 1 },
  },
  ShapeRegion: {
    index: { min: 0 },
  },
  SharpRow: {
    defocus: { min: 0, max: 400 },
    soft: { min: 0, max: 400 },
  },
  ShiftCovers: {
    dx: { min: -100000, max: 100000 },
    dy: { min: -100000, max: 100000 },
  },
  SnapRequest: {
    radius: { min: 1, max: 60 },
  },
  SolvedFrame: {
    confidence: { min: 0, max: 1 },
  },
  Spent: {
    budget: { min: 60, max: 3600000 },
    seconds: { min: 0, max: 120 },
  },
  SpillSettings: {
    amount: { min: 0, max: 1 },
    light: { min: 0, max: 1 },
    reach: { min: 0, max: 500 },
  },
  Step: {
    amount: { min: -200, max: 2000 },
  },
  StepRequest: {
    revision: { min: 0 },
  },
  Subject: {
    beyond: { min: 0, max: 200 },
    near: { min: 0, max: 500 },
    opacity: { min: 0, max: 1 },
  },
  ThinOut: {
    tolerance: { min: 0.01, max: 100 },
  },
  ThinRequest: {
    tolerance: { min: 0.01, max: 100 },
  },
  TurnKeys: {
    turns: { min: -20, max: 20 },
  },
  ValueKey: {
    value: { min: -10000, max: 10000 },
  },
  Wipe: {
    angle: { min: -3600, max: 3600 },
    shown: { min: 0, max: 1 },
    soft: { min: 0, max: 1 },
  },
  WornRow: {
    chroma: { min: -0.05, max: 0.05 },
    coarse: { min: 0, max: 4000 },
    dark: { min: 0, max: 1 },
    lines: { min: 0, max: 4000 },
    vignette: { min: 0, max: 1 },
  },
} as const;

/** Colours that covers begin with, one after the other. */
export const coverColours = [
  "#56b4e9",
  "#e69f00",
  "#cc79a7",
  "#009e73",
  "#f0e442",
  "#d55e00",
  "#0072b2",
];
