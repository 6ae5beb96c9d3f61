import { useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";

import { problemOf, say, type Correction, type Intake, type Understood } from "../api/client";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import { Fact } from "./Fact";

type Light = NonNullable<Correction["light"]>;

/** Which layer of the pictures is shown, and how their numbers become light on the display. */
export function ReadAs(props: {
  id: string;
  u: Understood;
  correction: Correction;
  change: (part: Partial<Correction>) => void;
}) {
  const { id, u, correction: c, change } = props;
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File | undefined) => {
    if (!file) return;
    try {
      const address = `/api/intakes/${id}/lut?name=${encodeURIComponent(file.name)}`;
      const response = await fetch(address, { method: "PUT", body: file });
      if (!response.ok) throw await problemOf(response);
      queries.setQueryData(["intakes", id], (await response.json()) as Intake);
      change({ light: "lut" });
    } catch (error) {
      say(error);
    }
  };
  const lights: { value: Light; label: string }[] = [
    { value: "usual", label: u.floating ? "Linear, as is usual for floats" : "For the display, as is usual" },
    ...(u.floating
      ? [{ value: "display" as const, label: "For the display already (sRGB)" }]
      : [{ value: "linear" as const, label: "Linear light" }]),
    { value: "bt709", label: "Camera curve of BT.709" },
    ...(u.lut ? [{ value: "lut" as const, label: `By the table ${u.lut_name}` }] : []),
  ];
  return (
    <>
      {u.layers.length > 1 && (
        <Fact label="Layer">
          <span className="flex w-72">
            <Select
              label="Layer"
              options={u.layers.map((name) => ({ value: name, label: name || "Plain colours" }))}
              value={c.layer || u.layers[0]!}
              onPick={(layer) => change({ layer })}
            />
          </span>
        </Fact>
      )}
      <Fact label="Light">
        <span className="flex items-center gap-1.5">
          <span className="flex w-72">
            <Select
              label="Light"
              options={lights}
              value={c.light ?? "usual"}
              onPick={(light) => change({ light: light as Light })}
            />
          </span>
          <input
            ref={input}
            type="file"
            accept=".cube"
            hidden
            data-testid="lut-file"
            onChange={(event) => {
              void take(event.target.files?.[0]);
              event.target.value = "";
            }}
          />
          <Button
            small
            title="Log footage: a look-up table (.cube) that brings it to the display"
            onClick={() => input.current?.click()}
          >
            {u.lut ? "Another table" : "Take a table (.cube)"}
          </Button>
        </span>
      </Fact>
    </>
  );
}
