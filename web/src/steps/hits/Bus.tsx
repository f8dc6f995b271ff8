import { Form } from "react-bootstrap";
import type { Hit, HitView } from "../../api/types";
import { figure } from "../../controls/figures";
import { Chain } from "./Chain";
import { DriveHighs } from "./DriveHighs";

interface Props {
  part: string;
  hit: Hit;
  view: HitView | undefined;
  onHit: (label: string, change: (hit: Hit) => Hit, gesture?: string) => void;
}

/** The sum as it is, or bound by a chain of its own; crest and loudness of both ways. */
export function Bus({ part, hit, view, onHit }: Props) {
  const ways = [
    { name: "unprocessed", figures: view?.plain, heard: !hit.bind },
    { name: "bound", figures: view?.bound, heard: hit.bind },
  ];
  return (
    <section aria-label="Bus">
      <div className="bench-head">
        <Form.Check
          type="switch"
          id="bind"
          label="Bind the sum"
          checked={hit.bind}
          onChange={() => onHit(hit.bind ? "Unbind" : "Bind", (now) => ({ ...now, bind: !now.bind }))}
        />
        <DriveHighs part={part} />
        <div className="figures">
          {ways.map((way) => (
            <div key={way.name}>
              <span className="mono">
                {way.figures
                  ? `crest ${figure(way.figures.crest_db, "dB")} · loudness ${figure(way.figures.loudness_db, "dB")}`
                  : "nothing on the bus"}
              </span>
              <span className="soft">
                {way.name}
                {way.heard ? ", heard" : ""}
              </span>
            </div>
          ))}
        </div>
      </div>
      <Chain
        name="The bus"
        part={part}
        layer={null}
        heard={hit.bind}
        chain={hit.bus}
        changes={view?.bus_changes ?? []}
        onChange={(label, change, gesture) => onHit(label, (now) => ({ ...now, bus: change(now.bus) }), gesture)}
      />
    </section>
  );
}
