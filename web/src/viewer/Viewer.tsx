import { useCallback, useEffect, useRef, useState, type PointerEvent } from "react";
import { toast } from "sonner";

import { bench, useBench } from "../state/bench";
import { DividerLine } from "./DividerLine";
import { ProposalBar } from "./ProposalBar";
import { Drawing } from "./Drawing";
import { lastPointer, Screen } from "./screen";
import { begin, hover, twice } from "./tools";
import { hint } from "./hint";
import { toPlate, usePointer, useView } from "../state/view";
import { Hit, hitTest } from "./hit";
import { Gesture, PointerAt } from "./gesture";

const TRAVEL = 3;

/** The picture with the drawing over it, and the hand on both. */
export function Viewer({ shot }: { shot: string }) {
  const frame = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [hovered, setHovered] = useState<Hit>({ kind: "nothing" });
  const gesture = useRef<{ gesture: Gesture; start: PointerAt; travelled: boolean } | null>(null);
  const [panning, setPanning] = useState(false);
  const tool = useBench((b) => b.tool);
  const spaceHeld = useBench((b) => b.spaceHeld);
  useBench((b) => b.draft);
  useBench((b) => b.active);
  useBench((b) => b.selected);
  useBench((b) => b.framed);
  useBench((b) => b.fitting);

  useEffect(() => {
    const screen = new Screen(canvas.current!, shot, () =>
      toast("A picture could not be loaded. What you drew is safe; the page tries again by itself.", {
        id: "picture",
      }),
    );
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      useView.getState().resize(width, height);
    });
    observer.observe(frame.current!);
    return () => {
      observer.disconnect();
      screen.close();
    };
  }, [shot]);

  const place = useCallback(
    (event: { clientX: number; clientY: number; shiftKey: boolean; altKey: boolean; ctrlKey: boolean }) => {
      const box = frame.current!.getBoundingClientRect();
      return {
        x: event.clientX - box.left,
        y: event.clientY - box.top,
        shift: event.shiftKey,
        alt: event.altKey,
        ctrl: event.ctrlKey || (event as { metaKey?: boolean }).metaKey === true,
      };
    },
    [],
  );

  useEffect(() => {
    const target = frame.current!;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const turned = gesture.current?.gesture.wheel;
      if (turned) return turned(event.deltaY);
      const at = place(event);
      const v = useView.getState();
      v.zoomTo(v.zoom * Math.exp(-event.deltaY * (event.deltaMode === 1 ? 0.05 : 0.0016)), at.x, at.y);
    };
    target.addEventListener("wheel", wheel, { passive: false });
    return () => target.removeEventListener("wheel", wheel);
  }, [place]);

  const down = (event: PointerEvent) => {
    const at = place(event);
    const pans = event.button === 1 || (event.button === 0 && bench().spaceHeld);
    if (!pans && event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    (document.activeElement as HTMLElement | null)?.blur();
    if (pans) {
      event.preventDefault();
      setPanning(true);
      let last = at;
      const move = (to: PointerAt) => {
        useView.getState().pan(to.x - last.x, to.y - last.y);
        last = to;
      };
      gesture.current = { gesture: { move, end: () => setPanning(false) }, start: at, travelled: true };
      return;
    }
    if (bench().look === "flat") return;
    if (bench().playing) useBench.setState({ playing: false });
    const begun = begin(at);
    if (begun) gesture.current = { gesture: begun, start: at, travelled: false };
  };

  const move = (event: PointerEvent) => {
    const at = place(event);
    const going = gesture.current;
    usePointer.setState({ at: toPlate(useView.getState(), at.x, at.y) });
    if (!going) {
      if (bench().look === "flat") return;
      hover(at, event.timeStamp);
      if (tool === "select") setHovered(hitTest(at.x, at.y));
      return;
    }
    if (!going.travelled && Math.hypot(at.x - going.start.x, at.y - going.start.y) < TRAVEL) return;
    going.travelled = true;
    lastPointer.time = event.timeStamp;
    going.gesture.move(at);
  };

  const up = (event: PointerEvent) => {
    const going = gesture.current;
    gesture.current = null;
    going?.gesture.end(place(event), going.travelled);
  };

  const grabs = panning || spaceHeld;
  const cursor = grabs
    ? "grab"
    : tool !== "select"
      ? "crosshair"
      : hovered.kind === "nothing"
        ? "default"
        : "move";
  return (
    <div
      ref={frame}
      data-testid="viewer"
      className="relative min-h-0 min-w-0 flex-1 touch-none overflow-hidden bg-table select-none"
      style={{ cursor }}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={up}
      onPointerLeave={() => usePointer.setState({ at: null })}
      onDoubleClick={(event) => {
        const at = place(event);
        if (bench().look !== "flat") twice(at.x, at.y);
      }}
      onContextMenu={(event) => event.preventDefault()}
    >
      <canvas ref={canvas} data-testid="picture" className="absolute inset-0 size-full" />
      <Drawing hovered={hovered} />
      <DividerLine />
      <ProposalBar />
      <p className="pointer-events-none absolute bottom-2 left-2 max-w-[96%] truncate rounded-md bg-[#15191acc] px-2.5 py-1 text-[13px] text-[#f4f2ea]">
        {hint()}
      </p>
    </div>
  );
}
