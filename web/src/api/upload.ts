import { api, data, problemOf, type Intake, Problem } from "./client";

/** What has been sent so far, 0 to 1. */
export type Sent = (share: number) => void;

/** How many files are sent at once: small ones wait for answers, not for the line. */
const LANES = 4;

/** Send files and have them understood. Raises Problem; then nothing is left on the server. */
export async function upload(
  files: File[],
  about: { purpose: "plate" | "insert"; shot?: string },
  sent: Sent,
  signal: AbortSignal,
): Promise<Intake> {
  const claims = files.map((file) => ({ name: file.name, size: file.size }));
  const intake = await data<Intake>(api.POST("/api/intakes", { body: { ...about, files: claims } }));
  const total = files.reduce((sum, file) => sum + file.size, 0) || 1;
  const sentOf = files.map(() => 0);
  let all = 0;
  const progress = (index: number) => (bytes: number) => {
    all += bytes - sentOf[index]!;
    sentOf[index] = bytes;
    sent(Math.min(all / total, 1));
  };
  const waiting = files.map((file, index) => ({ file, index })).reverse();
  const lane = async () => {
    for (let next = waiting.pop(); next; next = waiting.pop()) {
      await sendFile(intake.id, next.index, next.file, progress(next.index), signal);
      progress(next.index)(next.file.size);
    }
  };
  try {
    await Promise.all(Array.from({ length: LANES }, lane));
    return await data<Intake>(
      api.POST("/api/intakes/{intake_id}/understand", { params: { path: { intake_id: intake.id } } }),
    );
  } catch (error) {
    waiting.length = 0;
    await fetch(`/api/intakes/${intake.id}`, { method: "DELETE" }).catch(() => undefined);
    throw error;
  }
}

async function sendFile(
  intake: string,
  number: number,
  file: File,
  sent: (bytes: number) => void,
  signal: AbortSignal,
) {
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await sendOnce(intake, number, file, sent, signal);
    } catch (error) {
      const lost = error instanceof Problem && error.status === 0 && !signal.aborted;
      if (!lost || attempt === 3) throw error;
      await new Promise((resolve) => setTimeout(resolve, 400 * attempt));
    }
  }
}

/** XMLHttpRequest, because fetch tells nothing of how much has been sent. */
function sendOnce(
  intake: string,
  number: number,
  file: File,
  sent: (bytes: number) => void,
  signal: AbortSignal,
): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("PUT", `/api/intakes/${intake}/files/${number}`);
    request.upload.onprogress = (event) => sent(event.loaded);
    request.onload = async () => {
      if (request.status < 300) return resolve();
      reject(await problemOf(new Response(request.responseText, { status: request.status })));
    };
    request.onerror = () =>
      reject(
        new Problem(`Sending “${file.name}” was cut off. Nothing was taken in; drop the files again.`, 0),
      );
    request.onabort = () => reject(new Problem("Cancelled. Nothing was taken in.", 0));
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
