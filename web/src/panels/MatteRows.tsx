import { X } from "lucide-react";
import { bounds } from "../api/bounds";
import { useState } from "react";

import type { Subject } from "../api/client";
import { Button, IconButton } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { coverOf } from "../state/lookups";
import { goTo, select } from "../state/bench";
import { Row } from "./Row";
import { freeCovers, nearOf } from "../state/subjects";
import { Settled } from "../state/types";
import { lookForNear, SubjectChange } from "../commands/subjects";

const KINDS = [
  { name: "core", label: "Core", title: "Surely inside, whatever the key says" },
  { name: "garbage", label: "Garbage", title: "Thrown away, whatever the key says" },
] as const;

/** The covers that are a subject's core and garbage, and where garbage comes too close. */
export function MatteRows(props: { b: Settled; subject: Subject; keep: (change: SubjectChange) => void }) {
  const { b, subject, keep } = props;
  const [looking, setLooking] = useState(false);
  const free = freeCovers(b).map((c) => ({ value: c.id, label: c.name }));
  const near = nearOf(b, subject);
  const look = () => {
    setLooking(true);
    void lookForNear(subject).finally(() => setLooking(false));
  };
  return (
    <>
      {KINDS.map(({ name, label, title }) => {
        const ids = subject[name];
        return (
          <Row key={name} label={label}>
            {ids.map((id) => (
              <span
                key={id}
                className="inline-flex h-7 items-center rounded-md border border-line bg-cloth-raised pl-2"
              >
                <button type="button" title="Select it" onClick={() => select(id)}>
                  {coverOf(b, id)?.name}
                </button>
                <IconButton
                  label={`${coverOf(b, id)?.name} is a cover by itself again`}
                  className="size-6 text-ink-soft"
                  onClick={() => keep({ [name]: ids.filter((other) => other !== id) })}
                >
                  <X size={13} />
                </IconButton>
              </span>
            ))}
            {free.length > 0 ? (
              <span className="flex min-w-[110px] flex-1" title={title}>
                <Select
                  label={`Add to ${name}`}
                  options={[{ value: "", label: "Add a cover …" }, ...free]}
                  value=""
                  onPick={(id) => id && keep({ [name]: [...ids, id] })}
                />
              </span>
            ) : (
              ids.length === 0 && (
                <span className="text-[13px] text-ink-soft">draw a cover, then choose it here</span>
              )
            )}
          </Row>
        );
      })}
      {subject.garbage.length > 0 && (
        <>
          <Row label="Warn at">
            <NumberField
              label="Warn within"
              caption=""
              unit="px"
              value={subject.near!}
              {...bounds.Subject.near}
              onCommit={(distance) => keep({ near: distance })}
            />
            <Button
              small
              disabled={looking}
              title="Look through all frames; pins stand on the strip"
              onClick={look}
            >
              {looking ? "Looking …" : "Look for it"}
            </Button>
          </Row>
          {near && (
            <p className="mb-1.5 text-[13px]" data-testid="near">
              {b.near!.revision !== b.shot!.revision && (
                <span className="block text-ink-soft">Before the last change; look again.</span>
              )}
              {near.length === 0
                ? "Garbage keeps clear of the subject on all frames."
                : `${near.filter((n) => n.what === "cuts").length} cut, ${near.filter((n) => n.what === "near").length} close: `}
              {[...near]
                .sort((p, q) => p.distance - q.distance)
                .slice(0, 4)
                .map((n) => (
                  <button
                    key={`${n.frame}${n.cover}`}
                    type="button"
                    className="mr-1.5 text-teal underline"
                    onClick={() => goTo(n.frame)}
                  >
                    {n.frame} {n.name}
                    {n.what === "near" ? `, ${n.distance.toFixed(0)} px` : ", cuts"}
                  </button>
                ))}
            </p>
          )}
        </>
      )}
    </>
  );
}
