import type { Ease } from "../api/client";
import { Button, Choice } from "../ui/Button";
import { keyFrames } from "../state/lookups";
import { CurveField, SLOW_BOTH } from "./CurveField";
import { Row } from "./Row";
import { send } from "../commands/send";
import { Settled } from "../state/types";
import { useFrame } from "../state/bench";

/** How many keys there are, and the one on this frame. */
export function KeyRow({ b, element }: { b: Settled; element: string }) {
  const frame = useFrame();
  const keys = keyFrames(b, element);
  const here = keys.includes(frame);
  return (
    <Row label="Keys">
      <span>{keys.length}</span>
      {here ? (
        <Button
          small
          title="Delete the key that this frame has"
          disabled={keys.length < 2}
          onClick={() => void send({ type: "delete-keys", element, frames: [frame] })}
        >
          Delete key {frame}
        </Button>
      ) : (
        <Button
          small
          title="Set a key without a change  (K)"
          onClick={() => void send({ type: "set-key", element, frame: frame })}
        >
          Set key {frame}
        </Button>
      )}
    </Row>
  );
}

const EASES: { value: Ease; label: string; title: string }[] = [
  { value: "smooth", label: "Smooth", title: "Flow through the keys around" },
  { value: "linear", label: "Even", title: "Straight to the next key at an even pace" },
  { value: "hold", label: "Hold", title: "Stay as it is until the next key" },
  { value: "curve", label: "Curve", title: "By a curve of time and progress, drawn below" },
];

/** How the stretch that this frame lies in (or the stretches after the keys chosen on the strip) goes on. */
export function EaseRow({ b, element }: { b: Settled; element: string }) {
  const frame = useFrame();
  const found = b.shot!.elements[element];
  const keys =
    found?.kind === "outline" || found?.kind === "pane" || found?.kind === "subject" ? found.keys! : [];
  const chosen = b.keys?.element === element ? [...b.keys.frames] : [];
  const before = keys.filter((k) => k.frame <= frame).at(-1) ?? keys[0];
  const frames = chosen.length ? chosen : before ? [before.frame] : [];
  const eases = new Set(keys.filter((k) => frames.includes(k.frame)).map((k) => k.ease));
  const curve = keys.find((k) => frames.includes(k.frame))?.curve ?? SLOW_BOTH;
  return (
    <Row label={chosen.length > 1 ? "After these" : `After ${frames[0] ?? ""}`}>
      <Choice
        options={EASES}
        value={eases.size === 1 ? [...eases][0]! : null}
        disabled={keys.length < 2}
        onPick={(ease) =>
          void send({
            type: "ease-keys",
            element,
            frames,
            ease,
            ...(ease === "curve" ? { curve } : {}),
          })
        }
      />
      {eases.size === 1 && eases.has("curve") && (
        <CurveField
          curve={curve}
          onPick={(next) => void send({ type: "ease-keys", element, frames, ease: "curve", curve: next })}
        />
      )}
    </Row>
  );
}
