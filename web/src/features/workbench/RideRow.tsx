import { Select } from "../../ui/Select";
import { carriersOf, type Bench } from "./bench";
import { Row } from "./Row";
import { send } from "./send";

/** What something rides on; choosing another carrier leaves it where it is on all of its keys. */
export function RideRow({ b, elements, rides }: { b: Bench; elements: string[]; rides: string | null }) {
  const carriers = carriersOf(b);
  if (carriers.length === 0) return null;
  const options = [{ value: "", label: "Nothing" }, ...carriers.map((c) => ({ value: c.id, label: c.name }))];
  return (
    <Row label="Rides on">
      <Select
        label="Rides on"
        options={options}
        value={rides ?? ""}
        onPick={(carrier) => void send({ type: "ride", elements, carrier: carrier || null })}
      />
    </Row>
  );
}
