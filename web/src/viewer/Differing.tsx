import { useQuery } from "@tanstack/react-query";

import { api, data, type Differs } from "../api/client";
import { keepDiffering, leaveOut } from "../commands/differing";
import { dropProposal, turnFrame } from "../commands/proposals";
import { bench, useBench } from "../state/bench";
import { Button } from "../ui/Button";

/** What would stay in front on the frame that is shown, asked for as it is looked at. */
function useDiffering() {
  const shot = useBench((b) => b.shot);
  const frame = useBench((b) => b.frame);
  const pane = useBench((b) => (b.proposal?.kind === "differing" ? b.proposal.element : null));
  return useQuery({
    queryKey: ["differing", shot?.id, shot?.revision, pane, frame],
    enabled: pane !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      data<Differs>(
        api.GET("/api/shots/{shot_id}/differing/{frame}", {
          params: { path: { shot_id: shot!.id, frame }, query: pane ? { pane } : {} },
        }),
      ),
  });
}

/** Its borders over the picture; a frame that is left out shows them faintly. */
export function DifferingMarks({ place }: { place: (x: number, y: number) => [number, number] }) {
  const found = useDiffering().data;
  const taken = useBench((b) => b.proposal!.kept.has(b.frame));
  if (!found) return null;
  const path = found.borders
    .map((line) => {
      let d = "";
      for (let i = 0; i < line.length; i += 2) {
        const [x, y] = place(line[i]!, line[i + 1]!);
        d += `${d ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`;
      }
      return `${d}Z`;
    })
    .join("");
  return (
    <g data-testid="differing" opacity={taken ? 1 : 0.3}>
      <path d={path} fill="#6cc0b3" fillOpacity={0.28} fillRule="evenodd" />
      <path d={path} fill="none" stroke="#1d1c1a" strokeOpacity={0.7} strokeWidth={3} />
      <path d={path} fill="none" stroke="#6cc0b3" strokeWidth={1.5} />
    </g>
  );
}

/** What it is on this frame in words, which frames are left out, and in which form it is kept. */
export function DifferingChoices() {
  const found = useDiffering();
  const frame = useBench((b) => b.frame);
  const kept = useBench((b) => b.proposal!.kept);
  const plate = bench().shot!.plate;
  return (
    <>
      <span className="w-max max-w-[250px] leading-[18px]">
        {found.error?.message ?? found.data?.words ?? "Comparing with the clean picture …"}
      </span>
      <span className="text-[13px] whitespace-nowrap text-ink-soft">
        {kept.size} of {plate.count} frames
      </span>
      <span className="flex items-center">
        <Button
          small
          look="quiet"
          title="Leave all frames before this one out"
          onClick={() => leaveOut("before", frame)}
        >
          Not before
        </Button>
        <Button
          small
          look="quiet"
          title="Leave this frame out, or take it in"
          onClick={() => turnFrame(frame)}
        >
          {kept.has(frame) ? `Leave out ${frame}` : `Take in ${frame}`}
        </Button>
        <Button
          small
          look="quiet"
          title="Leave all frames after this one out"
          onClick={() => leaveOut("after", frame)}
        >
          Not after
        </Button>
      </span>
      <Button
        small
        look="main"
        title="Keep it as a matte that can be cleaned up like a key  (Enter)"
        onClick={() => void keepDiffering("matte")}
      >
        Keep as matte
      </Button>
      <Button
        small
        title="Keep it as a cover whose outlines follow it over the frames"
        onClick={() => void keepDiffering("outlines")}
      >
        As outlines
      </Button>
      <Button small look="quiet" title="Drop it; nothing was changed  (Escape)" onClick={dropProposal}>
        Drop
      </Button>
    </>
  );
}
