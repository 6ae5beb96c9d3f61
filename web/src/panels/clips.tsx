import { useQuery } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { toast } from "sonner";

import { api, data, listed, say, type ClipCard, type Intake } from "../api/client";
import { useNotice, type Notice } from "../api/events";
import { upload } from "../api/upload";
import { Button } from "../ui/Button";
import { Progress } from "../ui/Progress";

/** The clips that belong to a shot besides its plate. */
export function useClips(shot: string) {
  return useQuery({
    queryKey: ["clips", shot],
    queryFn: () =>
      listed((query) =>
        api.GET("/api/shots/{shot_id}/clips", { params: { path: { shot_id: shot }, query } }),
      ),
  });
}

/** A clip by its name and length. */
export function clipLabel(clip: ClipCard): string {
  return clip.info.count > 1 ? `${clip.info.name}, ${clip.info.count} frames` : clip.info.name;
}

/** A button that takes in a still or clip for a shot; `onTaken` gets its id once it is decoded. */
export function TakeIn(props: {
  shot: string;
  label: string;
  testId: string;
  onTaken: (clip: string) => void;
}) {
  const { shot, label, testId, onTaken } = props;
  const input = useRef<HTMLInputElement>(null);
  const [sent, setSent] = useState<number | null>(null);
  const [expected, setExpected] = useState<string | null>(null);
  useNotice(
    useCallback(
      (notice: Notice) => {
        if (notice.topic !== "job" || notice.intake !== expected || expected === null) return;
        if (notice.state === "done") {
          setExpected(null);
          onTaken(String(notice.result?.clip));
        } else if (notice.state === "failed" || notice.state === "cancelled") {
          setExpected(null);
          toast(notice.message);
        }
      },
      [expected, onTaken],
    ),
  );
  const take = async (files: File[]) => {
    if (files.length === 0) return;
    setSent(0);
    try {
      const intake = await upload(files, { purpose: "insert", shot }, setSent, new AbortController().signal);
      const { name, first, rate_num, rate_den, pixel_aspect, gaps } = intake.understood!;
      if (gaps.length) toast("Some frames of this sequence are missing; the frame before each gap is held.");
      setExpected(intake.id);
      await data<Intake>(
        api.POST("/api/intakes/{intake_id}/accept", {
          params: { path: { intake_id: intake.id } },
          body: {
            name: name.slice(0, 80) || "Insert",
            first: first,
            rate_num: rate_num,
            rate_den: rate_den,
            pixel_aspect: pixel_aspect,
            hold_gaps: true,
          },
        }),
      );
    } catch (error) {
      setExpected(null);
      say(error);
    } finally {
      setSent(null);
    }
  };
  return (
    <span>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        data-testid={testId}
        onChange={(event) => {
          void take([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <Button
        small
        disabled={sent !== null || expected !== null}
        title="Take in a still, a movie or numbered pictures"
        onClick={() => input.current?.click()}
      >
        {expected !== null ? "Decoding …" : label}
      </Button>
      {sent !== null && <Progress share={sent} label="Sending" />}
    </span>
  );
}
