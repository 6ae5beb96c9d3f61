import { api, data, problemOf, type Intake, Problem } from "./client";

/** What has been sent so far, 0 to 1. */
export type Sent = (share: number) => void;

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
  let before = 0;
  try {
    for (const file of files) {
      await sendFile(intake.id, file, (bytes) => sent((before + bytes) / total), signal);
      before += file.size;
    }
    return await data<Intake>(
      api.POST("/api/intakes/{intake_id}/understand", { params: { path: { intake_id: intake.id } } }),
    );
  } catch (error) {
    await fetch(`/api/intakes/${intake.id}`, { method: "DELETE" }).catch(() => undefined);
    throw error;
  }
}

async function sendFile(intake: string, file: File, sent: (bytes: number) => void, signal: AbortSignal) {
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await sendOnce(intake, file, sent, signal);
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
  file: File,
  sent: (bytes: number) => void,
  signal: AbortSignal,
): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("PUT", `/api/intakes/${intake}/files/${encodeURIComponent(file.name)}`);
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
