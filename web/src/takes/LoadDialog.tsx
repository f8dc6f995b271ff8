import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { useSearchParams } from "react-router";
import { figure } from "../controls/figures";
import { useNotices } from "../frame/notices";
import { useEditor } from "../queries/editor";
import { usePlainPart } from "../queries/parameters";
import { TakeHeard } from "./TakeHeard";
import type { Loading, useLoading } from "./useLoading";
import { claimedTwice, keyOf, placeOf, replacedBy, usesOf, withTake } from "./uses";

interface Props {
  loading: ReturnType<typeof useLoading>;
}

/** What the server calls the steps of a kick and of a bass from a loop. */
const KICK_LOOP_STEP = "Kick from a loop";
const BASS_LOOP_STEP = "Bass from a loop";
const SECONDS_A_MINUTE = 60;
const clock = (s: number) =>
  `${Math.floor(s / SECONDS_A_MINUTE)}:${String(Math.floor(s % SECONDS_A_MINUTE)).padStart(2, "0")}`;

/** Every loaded file with what it measures and what it shall become; all are added as one step. */
export function LoadDialog({ loading }: Props) {
  const editor = useEditor();
  const plain = usePlainPart();
  const [asked] = useSearchParams();
  const { files } = loading;
  const { say } = useNotices();
  const ready = files.filter((one) => one.state === "ready" && one.take);
  const twice = claimedTwice(ready.map((one) => one.use));
  const uses = usesOf(editor.track, asked.get("hit"));
  const add = () => {
    const loop = ready.find((one) => one.use.as === "kick loop")?.take;
    const line = ready.find((one) => one.use.as === "line")?.take;
    const others = ready.filter((one) => one.use.as !== "kick loop" && one.use.as !== "line");
    const steps = [others.length > 0, loop, line].filter(Boolean).length;
    const label = others.length === 1 ? `Load ${others[0]?.take?.name}` : `Load ${others.length} sounds`;
    const replaced = ready.flatMap((one) => replacedBy(editor.track, one.use) ?? []);
    const text = [
      ready.length === 1 ? `${ready[0]?.take?.name} is added` : `${ready.length} sounds are added`,
      ...replaced,
    ].join("; ");
    // A loop that is read is a step of its own, after the others.
    const undo = () => {
      for (let step = 0; step < steps; step++) editor.undo();
    };
    // What was read of a line is said by the server, in place of this.
    say({ text: `${text}.`, undo, step: line ? BASS_LOOP_STEP : loop ? KICK_LOOP_STEP : label });
    if (others.length) {
      editor.edit(label, (track) =>
        others.reduce((made, one) => (one.take ? withTake(made, plain, one.take, one.use) : made), track),
      );
    }
    if (loop) editor.send({ kind: "kick-loop", take: loop.id, begin_ms: 0 }, "Kick from a loop");
    if (line) editor.send({ kind: "bass-loop", take: line.id, begin_ms: 0 }, "Bass from a loop");
    loading.clear();
  };
  return (
    <Modal
      aria-labelledby="load-title"
      show={files.length > 0}
      onHide={loading.clear}
      centered
      animation={false}
      size="lg"
    >
      <Modal.Header>
        <Modal.Title as="h2" id="load-title">
          Loaded sounds
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {files.map((one) => (
          <div className="loaded" key={one.key}>
            <div className="together">
              <strong className="text-truncate">{one.file.name}</strong>
              <button
                type="button"
                className="btn btn-plain ms-auto"
                aria-label={`Leave ${one.file.name} out`}
                onClick={() => loading.drop(one.key)}
              >
                ✕
              </button>
            </div>
            <Reading one={one} loading={loading} />
            {one.take && <TakeHeard take={one.take} use={one.use} />}
            {one.take && (
              <Replaces
                what={replacedBy(editor.track, one.use)}
                twice={twice.includes(placeOf(one.use) ?? "")}
                place={placeOf(one.use)}
              />
            )}
            {one.take && (
              <div className="together">
                <span className="mono small">{measured(one)}</span>
                <Form.Select
                  size="sm"
                  className="ms-auto"
                  style={{ width: 260 }}
                  aria-label={`Use of ${one.file.name}`}
                  value={keyOf(one.use)}
                  onChange={(event) => {
                    const chosen = uses.find((each) => each.key === event.target.value);
                    if (chosen) loading.change(one.key, { use: chosen.use });
                  }}
                >
                  {uses.map((each) => (
                    <option key={each.key} value={each.key}>
                      {each.name}
                    </option>
                  ))}
                </Form.Select>
              </div>
            )}
          </div>
        ))}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="plain" onClick={loading.clear}>
          Cancel
        </Button>
        {ready.length > 0 && (
          <Button
            variant="plain"
            onClick={() => {
              const what = ready.length === 1 ? `${ready[0]?.take?.name} is` : `${ready.length} sounds are`;
              say({ text: `${what} kept among the takes; nothing of the track is changed.` });
              loading.clear();
            }}
          >
            Only keep
          </Button>
        )}
        {twice.length > 0 && (
          <span className="clash-text small me-auto" role="alert">
            There is one {twice.join(" and one ")}: give one of the sounds another use.
          </span>
        )}
        <Button variant="strong" disabled={ready.length === 0 || twice.length > 0} onClick={add}>
          {ready.length > 1 ? `Add ${ready.length} sounds` : "Add"}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

/** What a choice puts something else in the place of, beside it. */
function Replaces({ what, twice, place }: { what: string | null; twice: boolean; place: string | null }) {
  if (twice) return <p className="clash-text small mb-1">Another of these sounds is to be the {place} as well.</p>;
  return what ? <p className="small mb-1">{what}</p> : null;
}

function measured({ take }: Loading): string {
  if (!take) return "";
  const pitch = take.landing_hz
    ? `lands at ${figure(take.landing_hz, "Hz")}, ${take.verdict}`
    : "no pitch that can be trusted";
  const length = take.length_ms === null ? "ends loud" : `heard for ${figure(take.length_ms, "ms")}`;
  return `${figure(take.duration_ms, "ms")}, ${length}, ${take.channels === 2 ? "stereo" : "mono"}, ${pitch}`;
}

function Reading({ one, loading }: { one: Loading; loading: Props["loading"] }) {
  const [fromS, setFromS] = useState<number | null>(null);
  if (one.state === "reading") return <p className="soft small mb-1">Reading and measuring…</p>;
  if (one.state === "refused") return <p className="clash-text small mb-1">{one.message}</p>;
  if (one.state === "too many channels") {
    return (
      <div className="small">
        <p className="mb-1">{one.message}</p>
        <Button
          variant="plain"
          size="sm"
          onClick={() => void loading.read(one.key, one.file, { channels: "first two" })}
        >
          First two
        </Button>
        <Button variant="plain" size="sm" onClick={() => void loading.read(one.key, one.file, { channels: "mono" })}>
          Mix to one
        </Button>
      </div>
    );
  }
  if (one.state === "too long") {
    const from = fromS ?? one.loudestS;
    return (
      <div className="small">
        <p className="mb-1">{one.message}</p>
        <div className="together">
          <input
            type="range"
            min={0}
            max={one.lastS}
            step={0.1}
            value={from}
            aria-label={`Where the part of ${one.file.name} begins`}
            onChange={(event) => setFromS(Number(event.target.value))}
          />
          <span className="mono">{clock(from)}</span>
          <Button variant="plain" size="sm" onClick={() => void loading.read(one.key, one.file, { fromS: from })}>
            Take this part
          </Button>
          <Button
            variant="plain"
            size="sm"
            title="As a long recording, which takes are cut from"
            onClick={() => void loading.keepLong(one.key, one.file)}
          >
            Keep all of it
          </Button>
        </div>
      </div>
    );
  }
  return one.message ? <p className="soft small mb-1">{one.message}</p> : null;
}
