/** Pictures from the server: compressed ones kept as they came, decoded ones within a budget, newest wish first. */

const IN_FLIGHT = 3;
const DECODED_BYTES = 640_000_000;
const COMPRESSED_BYTES = 400_000_000;

class Lru<V> {
  private items = new Map<string, V>();
  private bytes = 0;

  constructor(
    private budget: number,
    private sizeOf: (value: V) => number,
    private drop: (value: V) => void = () => undefined,
  ) {}

  get(key: string): V | undefined {
    const found = this.items.get(key);
    if (found !== undefined) {
      this.items.delete(key);
      this.items.set(key, found);
    }
    return found;
  }

  put(key: string, value: V) {
    const old = this.items.get(key);
    if (old !== undefined) this.remove(key, old);
    this.items.set(key, value);
    this.bytes += this.sizeOf(value);
    for (const [oldest, held] of this.items) {
      if (this.bytes <= this.budget || oldest === key) break;
      this.remove(oldest, held);
    }
  }

  private remove(key: string, value: V) {
    this.items.delete(key);
    this.bytes -= this.sizeOf(value);
    this.drop(value);
  }
}

export class PictureStore {
  private decoded = new Lru<ImageBitmap>(
    DECODED_BYTES,
    (b) => b.width * b.height * 4,
    (b) => b.close(),
  );
  private compressed = new Lru<Blob>(COMPRESSED_BYTES, (b) => b.size);
  private wishes: string[] = [];
  private urgent = "";
  private flying = new Set<string>();
  private failed = new Map<string, number>();

  /** `arrived` is called with the address of each picture that can be drawn now; `refused` when one cannot be had. */
  constructor(
    private arrived: (url: string) => void,
    private refused: (url: string) => void = () => undefined,
    private answered: (headers: Headers) => void = () => undefined,
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
    this.wishes = urls.filter((url) => !this.flying.has(url) && !this.decoded.get(url) && !this.resting(url));
    this.pump();
  }

  private resting(url: string): boolean {
    const until = this.failed.get(url);
    return until !== undefined && until > performance.now();
  }

  private pump() {
    while (this.wishes.length > 0) {
      const first = this.wishes[0] === this.urgent;
      if (!first && (this.flying.has(this.urgent) || this.flying.size >= IN_FLIGHT)) return;
      const url = this.wishes.shift()!;
      this.flying.add(url);
      void this.fetch(url)
        .catch(() => {
          this.failed.set(url, performance.now() + 2000);
          this.refused(url);
        })
        .finally(() => {
          this.flying.delete(url);
          this.pump();
        });
    }
  }

  private async fetch(url: string) {
    let blob = this.compressed.get(url);
    if (!blob) {
      const response = await fetch(url);
      if (!response.ok) throw new Error(String(response.status));
      this.answered(response.headers);
      blob = await response.blob();
      this.compressed.put(url, blob);
    }
    this.decoded.put(url, await createImageBitmap(blob));
    this.arrived(url);
  }
}
