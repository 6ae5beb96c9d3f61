import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Activity, Moon, Sun, Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import { useDropzone } from "react-dropzone";
import { Link, useLocation } from "wouter";

import { api, listed, say, type Intake, type ShotCard } from "../api/client";
import { signOut, useSession } from "../api/session";
import { upload } from "../api/upload";
import { bytesText } from "../ui/bytes";
import { useDimRoom } from "../ui/room";
import { Button, IconButton } from "../ui/Button";
import { rateText } from "../state/plate";
import { Mark } from "../ui/Mark";
import { Progress } from "../ui/Progress";
import { cancelJob, goingOn, useJobs } from "../panels/JobLine";

/** The list of shots, and the place to drop a plate on. */
export function ShotsPage() {
  const [, go] = useLocation();
  const [dim, toggleRoom] = useDimRoom();
  const [sent, setSent] = useState<number | null>(null);
  const stop = useRef<AbortController | null>(null);
  const shots = useQuery({
    queryKey: ["shots"],
    queryFn: () => listed((query) => api.GET("/api/shots", { params: { query } })),
  });
  const intakes = useQuery({
    queryKey: ["intakes"],
    queryFn: () => listed((query) => api.GET("/api/intakes", { params: { query } })),
  });

  const queries = useQueryClient();
  const session = useSession().data;
  const leave = () => signOut().then(() => queries.invalidateQueries({ queryKey: ["session"] }), say);

  const take = async (files: File[]) => {
    if (files.length === 0 || sent !== null) return;
    stop.current = new AbortController();
    setSent(0);
    try {
      const intake = await upload(files, { purpose: "plate" }, setSent, stop.current.signal);
      go(`/intake/${intake.id}`);
    } catch (error) {
      say(error);
    } finally {
      setSent(null);
    }
  };
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: (files: File[]) => void take(files),
    noClick: true,
    noKeyboard: true,
  });

  return (
    <main {...getRootProps()} className="flex min-h-full flex-col" data-testid="drop">
      <input {...getInputProps()} data-testid="plate-files" />
      <header className="flex h-14 items-center gap-3 border-b border-line px-6">
        <Mark />
        <h1 className="text-[17px] font-semibold">Shots</h1>
        <span className="flex-1" />
        <IconButton label={dim ? "Light room" : "Dim room"} className="size-8" onClick={toggleRoom}>
          {dim ? <Sun size={17} /> : <Moon size={17} />}
        </IconButton>
        <Link
          href="/server"
          aria-label="How the server is"
          title="How the server is"
          className="inline-flex size-8 items-center justify-center rounded-md hover:bg-cloth-sunk"
        >
          <Activity size={17} />
        </Link>
        {session?.person && (
          <>
            <span className="text-ink-soft">{session.person.name}</span>
            <Button look="quiet" onClick={() => void leave()}>
              Sign out
            </Button>
          </>
        )}
        <Button look="main" onClick={open} disabled={sent !== null}>
          Take in a plate …
        </Button>
      </header>
      <div className="mx-auto w-full max-w-[1180px] flex-1 px-6 py-6">
        <section
          className={`mb-6 flex min-h-20 items-center justify-between gap-6 rounded-md border border-dashed px-5 py-3 ${isDragActive ? "border-teal bg-teal-soft" : "border-ink-soft/50"}`}
        >
          {sent === null ? (
            <p>
              {isDragActive
                ? "Let go to take it in."
                : "Drop a movie or the pictures of a sequence anywhere on this page."}
              <span className="block text-ink-soft">
                mp4, mov, m4v, webm, mkv, avi, mxf, mpg, mts · PNG, JPEG, TIFF, EXR with numbered names
              </span>
            </p>
          ) : (
            <div className="flex flex-1 items-center gap-4">
              <div className="flex-1">
                <p className="mb-1">Sending, {Math.round(sent * 100)} %</p>
                <Progress share={sent} label="Sending" />
              </div>
              <Button onClick={() => stop.current?.abort()}>Cancel</Button>
            </div>
          )}
        </section>
        {intakes.data?.map((intake) => (
          <IntakeLine key={intake.id} intake={intake} />
        ))}
        {shots.error && <p>{shots.error.message}</p>}
        {shots.data?.length === 0 && (
          <p className="text-ink-soft">There is no shot yet. Take in a plate to begin.</p>
        )}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(264px,1fr))] gap-5">
          {shots.data?.map((shot) => (
            <Card key={shot.id} shot={shot} />
          ))}
        </ul>
      </div>
    </main>
  );
}

/** An intake that waits for the artist, is being decoded, or has failed. */
function IntakeLine({ intake }: { intake: Intake }) {
  const job = useJobs().data?.find((j) => j.intake === intake.id && goingOn(j));
  const share = job?.total ? job.done / job.total : 0;
  return (
    <div className="mb-3 flex items-center gap-4 rounded-md border border-line bg-cloth-raised px-4 py-3">
      <div className="min-w-0 flex-1">
        <p className="truncate font-semibold">{intake.understood?.name}</p>
        {intake.state === "decoding" ? (
          <>
            <p className="text-ink-soft">
              {job?.total ? `Decoding, ${job.done} of ${job.total} frames` : "Waiting to be decoded"}
            </p>
            <Progress share={share} label="Decoding" />
          </>
        ) : (
          <p className={intake.state === "failed" ? "text-brick" : "text-ink-soft"}>
            {intake.state === "failed" ? intake.message : "Waits for you to look at what was understood."}
          </p>
        )}
      </div>
      {job ? (
        <Button onClick={() => cancelJob(job.id)}>Cancel</Button>
      ) : (
        <Link href={`/intake/${intake.id}`} className="text-teal underline">
          Open
        </Link>
      )}
    </div>
  );
}

function Card({ shot }: { shot: ShotCard }) {
  const [asking, setAsking] = useState(false);
  const middle = Math.floor(shot.plate.count / 2);
  const seconds = (shot.plate.count * shot.plate.rate_den) / shot.plate.rate_num;
  const drawn =
    [count(shot.covers, "cover"), count(shot.panes, "pane")].filter(Boolean).join(", ") || "nothing drawn";
  const remove = () =>
    api
      .DELETE("/api/shots/{shot_id}", { params: { path: { shot_id: shot.id } } })
      .catch(say)
      .finally(() => setAsking(false));
  const fresh = () =>
    api.POST("/api/shots/{shot_id}/fresh", { params: { path: { shot_id: shot.id } } }).catch(say);
  const plate = `/api/clips/${shot.plate.media}/proxy/${middle}.jpg`;
  const composite = `/api/shots/${shot.id}/looks/composite/${shot.plate.first + middle}?v=${shot.revision}`;
  return (
    <li
      className="group overflow-hidden rounded-md border border-line bg-cloth-raised hover:border-ink-soft"
      data-testid={`shot-${shot.name}`}
    >
      <Link href={`/shots/${shot.id}`} className="block">
        <span className="relative block aspect-video w-full bg-table">
          <img src={plate} alt="" className="size-full object-contain" />
          {shot.panes > 0 && (
            // The plate is seen until this is rendered, and where it cannot be.
            <img
              src={composite}
              alt=""
              loading="lazy"
              className="absolute inset-0 size-full object-contain"
              onError={(event) => (event.currentTarget.hidden = true)}
            />
          )}
        </span>
        <div className="px-3 pt-2">
          <p className="truncate text-[15px] font-semibold">{shot.name}</p>
          <p className="text-ink-soft">
            {shot.plate.count} frames, {seconds.toFixed(1)} s at{" "}
            {rateText(shot.plate.rate_num, shot.plate.rate_den)} f/s · {bytesText(shot.room)}
          </p>
          <p className="text-ink-soft">
            {shot.plate.width} x {shot.plate.height} · in work, r{shot.revision} · {drawn}
          </p>
        </div>
      </Link>
      <div className="flex items-center justify-between px-1.5 pb-1.5">
        {asking ? (
          <>
            <span className="pl-1.5 text-brick">Delete it and its edits for good?</span>
            <span className="flex">
              <Button look="quiet" small onClick={() => setAsking(false)}>
                Keep
              </Button>
              <Button look="quiet" small className="text-brick" onClick={() => void remove()}>
                Delete
              </Button>
            </span>
          </>
        ) : (
          <>
            <Button
              look="quiet"
              className="px-1.5 font-normal"
              title="A new shot on the same plate, nothing drawn"
              onClick={() => void fresh()}
            >
              Start fresh
            </Button>
            <IconButton label="Delete shot" className="size-8 text-ink-soft" onClick={() => setAsking(true)}>
              <Trash2 size={16} />
            </IconButton>
          </>
        )}
      </div>
    </li>
  );
}

function count(n: number, what: string): string {
  return n === 0 ? "" : `${n} ${what}${n > 1 ? "s" : ""}`;
}
