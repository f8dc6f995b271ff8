import { BASS } from "../../api/parts";
import type { DuckedPart } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { ModelRulers } from "../../controls/ModelRulers";
import { useEditor } from "../../queries/editor";
import { useMost } from "../../queries/parameters";
import {
  curvesOf,
  duckedOf,
  duckedParts,
  freeParts,
  partName,
  withCurve,
  withCurves,
  withDucked,
} from "./duckedParts";
import { Listen } from "./Listen";

interface Props {
  part: string;
  index: number;
  found: DuckedPart | undefined;
  onPart: (part: string) => void;
  onIndex: (index: number) => void;
}

/** Which part and which of its curves is on the bench: heard alone, copied, made to follow another, one curve more. */
export function PartBar({ part, index, found, onPart, onIndex }: Props) {
  const editor = useEditor();
  const { track } = editor;
  const most = useMost("Ducked", "curves");
  const name = partName(track, part);
  const curves = curvesOf(track, part);
  const target = duckedOf(track, part);
  const free = freeParts(track);
  const others = duckedParts(track).filter((one) => one !== part && !duckedOf(track, one)?.follows);
  const copy = (from: string) => {
    onIndex(0);
    const fresh = curvesOf(track, from).map((one) => ({ ...one, fitted: null }));
    editor.edit(`Curve of ${partName(track, from)} on ${name}`, (now) => withCurves(now, part, fresh));
  };
  const follow = (of: string) => {
    onIndex(0);
    editor.edit(`${name} follows ${partName(track, of)}`, (now) => withDucked(now, part, { follows: of }));
  };
  return (
    <>
      <div className="d-flex gap-2 align-items-end mb-2 flex-wrap">
        <strong>{name}</strong>
        <Listen key={part} part={part} name={name} />
        {!target?.follows && (curves.length > 1 || curves.length < most) && (
          <span role="group" aria-label={`Curves of ${name}`} className="d-flex gap-1">
            {/* First, so that it stays under the hand while curves come behind it. */}
            <button
              type="button"
              className="btn btn-plain"
              disabled={curves.length >= most}
              onClick={() => {
                onIndex(curves.length);
                editor.edit(`Another curve on ${name}`, (now) =>
                  withCurve(now, part, { on: true, fitted: null, drawn: [], drive: "curve" }, curves.length),
                );
              }}
            >
              Add a curve
            </button>
            {curves.length > 1 &&
              curves.map((one, i) => (
                <button
                  key={i}
                  type="button"
                  aria-pressed={i === index}
                  className="btn btn-plain"
                  onClick={() => onIndex(i)}
                >
                  Curve {i + 1}
                  {one.on ? "" : ", off"}
                </button>
              ))}
            {index > 0 && (
              <button
                type="button"
                className="btn btn-plain"
                onClick={() => {
                  onIndex(0);
                  editor.edit(`Remove a curve of ${name}`, (now) =>
                    withCurves(
                      now,
                      part,
                      curves.filter((_, i) => i !== index),
                    ),
                  );
                }}
              >
                Remove curve {index + 1}
              </button>
            )}
          </span>
        )}
        <span className="ms-auto" />
        {others.length > 0 && (
          <div style={{ width: 150 }}>
            <Choice
              label="Curve of another part"
              value=""
              options={[
                { value: "", label: "copy or follow" },
                ...others.map((one) => ({ value: `copy ${one}`, label: `copy ${partName(track, one)}` })),
                ...(part === BASS
                  ? []
                  : others.map((one) => ({ value: `follow ${one}`, label: `follow ${partName(track, one)}` }))),
              ]}
              onChange={(asked) => {
                const [how, from = ""] = asked.split(" ");
                if (how === "copy") copy(from);
                else if (how === "follow") follow(from);
              }}
            />
          </div>
        )}
        {free.length > 0 && (
          <div style={{ width: 150 }}>
            <Choice
              label="Duck another part"
              value=""
              options={[
                { value: "", label: "choose a part" },
                ...free.map(({ id, name: of }) => ({ value: id, label: of })),
              ]}
              onChange={(id) => {
                if (!id) return;
                onPart(id);
                editor.send({ kind: "new-duck", part: id }, `Duck ${partName(track, id)}`);
              }}
            />
          </div>
        )}
        {part !== BASS && (
          <button
            type="button"
            className="btn btn-plain"
            onClick={() => {
              onPart(BASS);
              editor.edit(`Do not duck ${name}`, (now) => withDucked(now, part, { curves: [], follows: null }));
            }}
          >
            Do not duck {name}
          </button>
        )}
      </div>
      {target?.follows && (
        <div className="d-flex gap-3 align-items-end mb-2">
          <span>
            {name} follows <strong>{partName(track, target.follows)}</strong>: its curve is changed there.
          </span>
          <div style={{ flex: "1 1 240px" }}>
            <ModelRulers
              model="Ducked"
              values={target}
              only={["scale_pct"]}
              tone="room"
              onChange={(ruler, value, gesture) =>
                editor.edit("Share of the depth", (now) => withDucked(now, part, { [ruler]: value }), gesture)
              }
            />
          </div>
          <button
            type="button"
            className="btn btn-plain"
            disabled={editor.busy !== null}
            onClick={() => editor.send({ kind: "unlink", part }, `A duck of its own: ${name}`)}
          >
            Unlink
          </button>
        </div>
      )}
      {found && found.because.length > 0 && found.changed.length === 0 && (
        <p className="small soft mb-1" role="status">
          Fitted again: {found.because.join(" and ")} changed since it was computed.
        </p>
      )}
    </>
  );
}
