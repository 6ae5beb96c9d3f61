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
  const waiting = together(files).reverse();
  const lane = async () => {
    for (let next = waiting.pop(); next; next = waiting.pop()) {
      await sendAgain(intake.id, next, progress(next[0]!.index), signal);
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

interface Numbered {
  file: File;
  index: number;
}

/** Small files go together, for a request costs more than they do; large ones go by themselves. */
const SMALL_BYTES = 1_000_000;
const TOGETHER = 100;
const TOGETHER_BYTES = 8_000_000;

function together(files: File[]): Numbered[][] {
  const parcels: Numbered[][] = [];
  let open: Numbered[] = [];
  let bytes = 0;
  files.forEach((file, index) => {
    if (file.size > SMALL_BYTES) return parcels.push([{ file, index }]);
    if (open.length === 0 || open.length === TOGETHER || bytes + file.size > TOGETHER_BYTES) {
      open = [];
      bytes = 0;
      parcels.push(open);
    }
    open.push({ file, index });
    bytes += file.size;
  });
  return parcels;
}

async function sendAgain(
  intake: string,
  parcel: Numbered[],
  sent: (bytes: number) => void,
  signal: AbortSignal,
) {
  for (let attempt = 1; ; attempt += 1) {
    try {
      await sendOnce(intake, parcel, sent, signal);
      return sent(parcel.reduce((sum, { file }) => sum + file.size, 0));
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
  parcel: Numbered[],
  sent: (bytes: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const { file, index } = parcel[0]!;
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
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
    if (parcel.length === 1) {
      request.open("PUT", `/api/intakes/${intake}/files/${index}`);
      request.send(file);
    } else {
      const form = new FormData();
      for (const one of parcel) form.append("files", one.file, String(one.index));
      request.open("POST", `/api/intakes/${intake}/files`);
      request.send(form);
    }
  });
}
