import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useHotkeys } from "react-hotkeys-hook";
import { create } from "zustand";

const useSheet = create(() => ({ open: false }));

/** Open the sheet of keys and gestures. */
export const openKeys = () => useSheet.setState({ open: true });

const GROUPS: { title: string; keys: [string, string][] }[] = [
  {
    title: "Time",
    keys: [
      ["A  D", "one frame back, on"],
      ["Shift A  D", "ten frames back, on"],
      ["Q  E", "key before, after"],
      ["Space", "play, pause"],
      ["K", "set a key here"],
      ["R", "reach: this frame, all keys, from here on, range"],
      ["Drag a key", "moves it; Ctrl copies, Alt stretches the chosen"],
    ],
  },
  {
    title: "Looking",
    keys: [
      ["Ctrl K", "find a cover, a command, a row, a frame"],
      ["1 2 3 4", "plate, matte, cut-out, composite"],
      ["5 6", "tracker's eye, flat pane"],
      ["W", "the frame that needs a look most; again the next, with Shift back"],
      ["Wheel", "zoom at the pointer"],
      ["Space drag", "pan; also the middle button"],
      ["Ctrl wheel", "on the strip: zoom at the pointer; Shift wheel scrolls it"],
      ["F  0", "fit, 100 %"],
      ["H  V  O", "hold to hide the drawing, to see the plate (or what is compared); onion skin"],
      ["U", "compare with a look or a version: by a divider, or by what differs"],
    ],
  },
  {
    title: "Drawing",
    keys: [
      ["P", "pen: click a corner, drag a smooth point"],
      ["L", "a loop by hand, fitted with few points"],
      ["T", "trace: the line follows the edge; Shift is by hand"],
      ["M", "the patch of a carrier, with any drawing tool"],
      ["I", "covers to begin with: hands, and what passes"],
      ["G  C  B", "finger, ellipse, box: one drag"],
      ["N", "pane: click the four corners; one chosen corner can ride alone"],
      ["Y", "key a subject: drag over its backing"],
      ["Enter", "close the outline; so does its first point"],
      ["Backspace", "take the last point back"],
      ["Escape", "give up"],
    ],
  },
  {
    title: "Shaping",
    keys: [
      ["S", "select and shape"],
      ["Drag", "point, handle, curve, or the whole from inside"],
      ["Shift click", "one more point; drag a box, Alt drag a loop"],
      ["Ctrl A  .  ,", "all points; grow, shrink the selection"],
      ["Ctrl drag", "pull a soft edge out of the curve or a point"],
      ["X", "frame: move, turn, scale, shear, pivot"],
      ["J", "snap the chosen stretch to the edge"],
      ["Alt drag", "handle: break it; point: draw new handles"],
      ["Double click", "curve: add a point; point: corner or smooth"],
      ["Arrows", "nudge 1 px; Shift 10, Alt 0.1"],
      ["Delete", "keys, points, or the cover"],
      ["Ctrl C V D", "copy, paste, duplicate; Ctrl Shift V as a key"],
      ["Ctrl G", "group the chosen covers"],
      ["Ctrl Z", "undo; with Shift, redo"],
    ],
  },
];

/** The shortcut sheet, opened with "?". */
export function KeysSheet() {
  const open = useSheet((sheet) => sheet.open);
  useHotkeys("shift+slash, shift+?, ?", () => useSheet.setState({ open: !useSheet.getState().open }), {
    useKey: true,
  });
  return (
    <Dialog open={open} onClose={() => useSheet.setState({ open: false })} className="relative z-30">
      <div className="fixed inset-0 flex items-center justify-center bg-[#0007] p-8">
        <DialogPanel className="w-[860px] rounded-md border border-line bg-cloth px-8 py-6">
          <div className="mb-4 flex items-baseline justify-between">
            <DialogTitle className="text-[17px] font-semibold">Keys and gestures</DialogTitle>
            <a href="/guide/1-take-in" className="text-teal hover:underline">
              The guide, step by step
            </a>
          </div>
          <div className="grid grid-cols-2 gap-x-10 gap-y-5">
            {GROUPS.map((group) => (
              <section key={group.title}>
                <h3 className="mb-1 font-semibold text-teal">{group.title}</h3>
                <dl className="grid grid-cols-[104px_minmax(0,1fr)] gap-y-0.5">
                  {group.keys.map(([key, does]) => (
                    <div key={key} className="contents">
                      <dt className="whitespace-pre">{key}</dt>
                      <dd className="text-ink-soft">{does}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
