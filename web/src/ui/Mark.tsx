import { Link } from "wouter";

/** The application's sign: three fingers of a glove and a row of stitches. */
export function Mark() {
  return (
    <Link href="/" aria-label="Shots" title="Shots" className="inline-flex shrink-0">
      <img src="/favicon.svg" alt="" className="size-7" />
    </Link>
  );
}
