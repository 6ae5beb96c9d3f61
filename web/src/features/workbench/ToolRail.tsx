import { Frame, MousePointer2, Spline } from "lucide-react";

import { IconButton } from "../../ui/Button";
import { setBench, useBench, type ToolName } from "./bench";

const TOOLS: { name: ToolName; label: string; key: string; icon: typeof Spline }[] = [
  { name: "select", label: "Select and shape", key: "S", icon: MousePointer2 },
  { name: "pen", label: "Draw a cover with the pen", key: "P", icon: Spline },
  { name: "pane", label: "Place a pane by its four corners", key: "N", icon: Frame },
];

/** Take up a tool; a draft that is under way is given up. */
export function takeTool(tool: ToolName) {
  setBench({ tool, draft: null, into: null, playing: false });
}

/** The tools, one column. */
export function ToolRail() {
  const tool = useBench((b) => b.tool);
  return (
    <nav className="flex flex-col items-center gap-1.5 border-r border-line py-2" aria-label="Tools">
      {TOOLS.map(({ name, label, key, icon: Icon }) => (
        <IconButton
          key={name}
          label={label}
          shortcut={key}
          pressed={tool === name}
          className="size-10"
          onClick={() => takeTool(name)}
        >
          <Icon size={19} strokeWidth={1.7} />
        </IconButton>
      ))}
    </nav>
  );
}
