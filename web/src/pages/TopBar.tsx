import { HelpCircle, Moon, Redo2, Sun, Undo2 } from "lucide-react";
import { Link } from "wouter";

import { useDimRoom } from "../ui/room";
import { IconButton } from "../ui/Button";
import { Mark } from "../ui/Mark";
import { openKeys } from "./KeysSheet";
import { useBench } from "../state/bench";
import { NextLine } from "./NextLine";
import { TimeSpent } from "./TimeSpent";
import { JobLine } from "../panels/JobLine";
import { redo, undo } from "../commands/send";

/** Name, undo and redo with what was last done, jobs, and the way to the delivery. */
export function TopBar() {
  const shot = useBench((b) => b.shot)!;
  const label = useBench((b) => b.label);
  const [dim, toggleRoom] = useDimRoom();
  const settings = shot.elements.settings;
  const name = settings?.kind === "settings" ? settings.name : "";
  return (
    <header className="flex min-w-0 items-center gap-3 border-b border-line px-3">
      <Mark />
      <nav className="flex min-w-0 items-baseline gap-1.5">
        <Link href="/" className="text-ink-soft hover:text-ink">
          Shots
        </Link>
        <span className="text-ink-soft">/</span>
        <h1 className="truncate text-[15px] font-semibold">{name}</h1>
        <span
          data-testid="revision"
          className="rounded-md bg-cloth-sunk px-2 text-[13px] whitespace-nowrap text-ink-soft"
        >
          in work, r{shot.revision}
        </span>
        <TimeSpent shot={shot.id} />
      </nav>
      <div className="flex items-center">
        <IconButton
          label={shot.undo ? `Undo: ${shot.undo}` : "Nothing to undo"}
          shortcut="Ctrl+Z"
          className="size-8"
          disabled={!shot.undo}
          onClick={() => void undo()}
        >
          <Undo2 size={17} />
        </IconButton>
        <IconButton
          label={shot.redo ? `Redo: ${shot.redo}` : "Nothing to redo"}
          shortcut="Ctrl+Shift+Z"
          className="size-8"
          disabled={!shot.redo}
          onClick={() => void redo()}
        >
          <Redo2 size={17} />
        </IconButton>
      </div>
      <p className="min-w-0 flex-1 truncate text-ink-soft" data-testid="last-done" role="status">
        {label || shot.undo || "Nothing done yet"}
      </p>
      <NextLine shot={shot.id} />
      <JobLine shot={shot.id} />
      <IconButton label={dim ? "Light room" : "Dim room"} className="size-8" onClick={toggleRoom}>
        {dim ? <Sun size={17} /> : <Moon size={17} />}
      </IconButton>
      <IconButton label="Keys and gestures" shortcut="?" className="size-8" onClick={openKeys}>
        <HelpCircle size={17} />
      </IconButton>
      <Link
        href={`/shots/${shot.id}/look`}
        className="whitespace-nowrap text-ink-soft hover:text-ink"
        title="The worst places of the shot, its curves and its motions on one page"
      >
        Where to look
      </Link>
      <Link
        href={`/shots/${shot.id}/deliver`}
        className="inline-flex h-8 items-center rounded-md bg-teal px-4 font-semibold text-on-teal hover:brightness-110"
      >
        Deliver
      </Link>
    </header>
  );
}
