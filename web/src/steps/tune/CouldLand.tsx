import { Form } from "react-bootstrap";
import type { HitOnLadder, Way } from "../../api/types";
import { Schools } from "./Schools";
import { Targets } from "./Targets";

interface Props {
  hit: HitOnLadder;
  way: Way;
  onWay: (way: Way) => void;
  /** Whether what is shown was measured of what is stored. */
  fresh: boolean;
}

const WAYS: { id: Way; name: string; help: string }[] = [
  { id: "as set", name: "As each layer is set", help: "engines by their own pitch, recorded layers as they are set" },
  { id: "playback speed", name: "Playback speed", help: "recorded layers get shorter as they rise" },
  { id: "length kept", name: "Length kept", help: "recorded layers: the attack stays, only the tail is moved" },
];

/** Where the chosen hit could go, with what each costs, beside the ladder it stands on. */
export function CouldLand({ hit, way, onWay, fresh }: Props) {
  return (
    <section aria-label={`Where ${hit.name} could land`}>
      <div className="bench-head mt-0">
        <h3>Where {hit.name} could land</h3>
        {hit.has_take && hit.used_hz && (
          <Form.Select
            size="sm"
            style={{ width: 150 }}
            className="ms-auto"
            aria-label="Retune by"
            title={WAYS.find((one) => one.id === way)?.help}
            value={way}
            onChange={(event) => onWay(WAYS.find((one) => one.id === event.target.value)?.id ?? "as set")}
          >
            {WAYS.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </Form.Select>
        )}
      </div>
      {hit.used_hz ? (
        <Targets hit={hit} way={way} fresh={fresh} />
      ) : (
        <p className="soft">It has no pitch to move: see Its pitch for why, or say there which note you hear.</p>
      )}
      {hit.schools.length > 0 && <Schools hit={hit} way={way} fresh={fresh} />}
    </section>
  );
}
