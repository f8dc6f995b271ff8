import { Form } from "react-bootstrap";
import type { Carve, View } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { ModelRulers } from "../../controls/ModelRulers";
import { Ruler } from "../../controls/Ruler";
import { useEditor } from "../../queries/editor";
import { useChoices } from "../../queries/parameters";

const useCarve = () => {
  const editor = useEditor();
  const set = (label: string, change: (now: Carve) => Carve, gesture?: string) =>
    editor.edit(label, (track) => ({ ...track, carve: change(track.carve) }), gesture);
  return [editor.track.carve, set] as const;
};

/** How far a computed carve may cut and lift. */
export function CarveLimits() {
  const [carve, setCarve] = useCarve();
  return (
    <section aria-label="Limits of the carve" className="mt-3">
      <h3>How far it may go when it is computed</h3>
      <ModelRulers
        model="Carve"
        values={carve}
        only={["depth_limit_db", "lift_limit_db"]}
        tone="room"
        onChange={(name, value, gesture) =>
          setCarve("Limits of the carve", (now) => ({ ...now, [name]: value }), gesture)
        }
      />
    </section>
  );
}

interface Props {
  report: View["report"]["carve"];
  zoned: boolean;
}

/** Phase of the carve, its counterpart on the owner, the floor of both low parts, and the kick's own corner. */
export function CarveFilters({ report, zoned }: Props) {
  const [carve, setCarve] = useCarve();
  const phases = useChoices("Carve", "phase") as Carve["phase"][];
  const { pre_ring_db: ring } = report;
  // The owner is lifted where the other is cut; a pass has nothing to lift.
  const mirrors = !zoned && (carve.moves.length === 0 || carve.moves.some((one) => one.shape !== "high-pass"));
  return (
    <section aria-label="Filters" className="mt-3">
      <h3>Filters</h3>
      <div className="d-flex gap-4 align-items-center mt-2">
        <div style={{ flex: "0 0 110px" }}>
          <Choice
            label="Phase"
            value={carve.phase}
            options={phases.map((value) => ({ value, label: value }))}
            onChange={(phase) => setCarve("Carve phase", (now) => ({ ...now, phase }))}
          />
        </div>
        <Form.Check
          type="switch"
          id="floor-on"
          className="text-nowrap"
          label="Floor filter"
          checked={carve.floor_on}
          onChange={() => setCarve("Floor filter", (now) => ({ ...now, floor_on: !now.floor_on }))}
        />
        <div style={{ flex: "1 1 0" }}>
          <Ruler
            model="Carve"
            name="floor_hz"
            tone="room"
            value={carve.floor_hz}
            onChange={(floor_hz, gesture) => setCarve("Floor", (now) => ({ ...now, floor_hz }), gesture)}
          />
        </div>
        {mirrors && (
          <div style={{ flex: "1 1 0" }}>
            <Ruler
              model="Carve"
              name="mirror_pct"
              tone="room"
              value={carve.mirror_pct}
              onChange={(mirror_pct, gesture) => setCarve("Owner lifted", (now) => ({ ...now, mirror_pct }), gesture)}
            />
          </div>
        )}
      </div>
      <div className="d-flex gap-4 align-items-center mt-2">
        <Form.Check
          type="switch"
          id="kick-pass-on"
          className="text-nowrap"
          label="Kick high-pass"
          checked={carve.kick_pass_on}
          onChange={() => setCarve("Kick high-pass", (now) => ({ ...now, kick_pass_on: !now.kick_pass_on }))}
        />
        <div style={{ flex: "1 1 0" }}>
          <Ruler
            model="Carve"
            name="kick_pass_hz"
            tone="kick"
            value={carve.kick_pass_hz}
            onChange={(kick_pass_hz, gesture) =>
              setCarve("Kick corner", (now) => ({ ...now, kick_pass_hz }), gesture)
            }
          />
        </div>
        <div style={{ flex: "1 1 0" }}>
          <Ruler
            model="Carve"
            name="kick_pass_q"
            tone="kick"
            value={carve.kick_pass_q}
            onChange={(kick_pass_q, gesture) =>
              setCarve("Kick resonance", (now) => ({ ...now, kick_pass_q }), gesture)
            }
          />
        </div>
        <span className="soft small" style={{ flex: "1 1 0" }}>
          {ring !== null &&
            `Linear phase rings ${figure(report.pre_ring_ms, "ms")} ahead of a start, with ${figure(ring, "dB")} of its energy. `}
          Below the floor both low parts roll off; what it wins is under Headroom.
        </span>
      </div>
    </section>
  );
}
