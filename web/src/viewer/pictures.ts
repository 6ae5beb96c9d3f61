/** Pictures from the server: compressed ones kept as they came, decoded ones within a budget, newest wish first. */
import { LRUCache } from "lru-cache";

const IN_FLIGHT = 3;
const TRIALS = 2;
const DECODED_BYTES = 640_000_000;
const COMPRESSED_BYTES = 400_000_000;

/** Of changes that are only tried few are rendered at once, so that the newest does not wait behind those that it has replaced. */
const isTrial = (url: string) => url.includes("trial=");

export class PictureStore {
  private decoded = new LRUCache<string, ImageBitmap>({
    maxSize: DECODED_BYTES,
    sizeCalculation: ({ width, height }) => Math.max(width * height * 4, 1),
    dispose: (picture) => picture.close(),
  });
  private compressed = new LRUCache<string, Blob>({
    maxSize: COMPRESSED_BYTES,
    sizeCalculation: (blob) => Math.max(blob.size, 1),
  });
  private wishes: string[] = [];
  private later: string[] = [];
  private urgent = "";
  private flying = new Set<string>();
  private failed = new Map<string, number>();

  /**
   * `arrived` is called with the address of each picture that can be drawn now; `refused` when one cannot be had; `loaded`
   * when one is here, drawn or not.
   */
  constructor(
    private arrived: (url: string) => void,
    private refused: (url: string) => void = () => undefined,
    private answered: (headers: Headers) => void = () => undefined,
    private loaded: () => void = () => undefined,
  ) {}

  /** The picture, where it is decoded already. */
  get(url: string): ImageBitmap | undefined {
    return this.decoded.get(url);
  }

  /**
   * Ask for pictures, the most urgent first; earlier wishes that have not begun are forgotten. The first one does not
   * wait for those that are under way, and nothing new begins before it is there.
   */
  want(urls: string[]) {
    this.urgent = urls[0] ?? "";
    this.later = [];
    this.wishes = urls.filter((url) => !this.flying.has(url) && !this.decoded.get(url) && !this.resting(url));
    this.pump();
  }

  /** Whether a picture is here, so that it can be shown at once. */
  holds(url: string): boolean {
    return this.compressed.has(url) || this.decoded.has(url);
  }

  /** Have pictures here by and by, one at a time, while nothing is wished for; the next wish ends it. */
  fill(urls: string[]) {
    this.later = urls.filter((url) => !this.holds(url) && !this.flying.has(url));
    this.pump();
  }

  private resting(url: string): boolean {
    const until = this.failed.get(url);
    return until !== undefined && until > performance.now();
  }

  private pump() {
    while (this.wishes.length > 0) {
      if (isTrial(this.wishes[0]!) && [...this.flying].filter(isTrial).length >= TRIALS) return;
      const first = this.wishes[0] === this.urgent;
      if (!first && (this.flying.has(this.urgent) || this.flying.size >= IN_FLIGHT)) return;
      this.begin(this.wishes.shift()!, this.fetch);
    }
    if (this.flying.size === 0 && this.later.length > 0) this.begin(this.later.shift()!, this.load, true);
  }

  private begin(url: string, get: (url: string) => Promise<unknown>, quietly = false) {
    this.flying.add(url);
    void get(url)
      .catch(() => {
        this.failed.set(url, performance.now() + 2000);
        if (!quietly) this.refused(url);
      })
      .finally(() => {
        this.flying.delete(url);
        this.pump();
      });
  }

  /** A picture as it is sent. */
  private load = async (url: string) => {
    let blob = this.compressed.get(url);
    if (!blob) {
      const response = await fetch(url);
      if (!response.ok) throw new Error(String(response.status));
      this.answered(response.headers);
      blob = await response.blob();
      this.compressed.set(url, blob);
      this.loaded();
    }
    return blob;
  };

  private fetch = async (url: string) => {
    this.decoded.set(url, await createImageBitmap(await this.load(url)));
    this.arrived(url);
  };
}
