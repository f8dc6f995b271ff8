import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Part } from "../../api/types";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { reinforcedQuery } from "../../queries/queries";
import { useSettled } from "../../queries/useSettled";
import { Share } from "../takes/Share";
import { hasRumble, hitsOf } from "./pads";
import { useHeardHit } from "./useHeardHit";

const RESTED_MS = 200;
const USUAL_PCT = 40;

/** Another hit put under this one, or in its place: one ruler from old to new, as loud at every place of it. */
export function Reinforce({ one }: { one: Part }) {
  const editor = useEditor();
  const { trouble, hear } = useHeardHit(one);
  const { state } = editor;
  const others = hitsOf(editor.track).filter(
    (each) => each.id !== one.id && each.role !== "context" && !hasRumble(each.hit) && each.hit.layers.length > 0,
  );
  const [id, setId] = useState<string | null>(null);
  const [share, setShare] = useState(USUAL_PCT);
  const [fit, setFit] = useState(true);
  const [rests, setRests] = useState(true);
  const other = others.find((each) => each.id === id);
  const rested = useSettled(share, false, RESTED_MS);
  const made = useQuery({
    ...reinforcedQuery(state.id, state.revision, one.id, other?.id ?? "", rested, fit),
    enabled: other !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (others.length === 0 || one.hit.layers.length === 0) return null;
  const found = other && !made.isError ? made.data : undefined;
  const solved = found && rested === share && !made.isPlaceholderData;
  return (
    <section className="panel mt-2" aria-label={`Another hit under ${one.name}`}>
      <div className="d-flex flex-wrap gap-3 align-items-end">
        <div style={{ width: 170 }}>
          <Choice
            label={`Under ${one.name}`}
            value={other?.id ?? ""}
            options={[
              { value: "", label: "no other hit" },
              ...others.map((each) => ({ value: each.id, label: each.name })),
            ]}
            onChange={setId}
          />
        </div>
        {other && (
          <>
            <Share label="Old to new" value={share} said={figure(share, "%")} onChange={setShare} />
            <Form.Check
              type="switch"
              id={`fit-under-${one.id}`}
              label="Fit it"
              title="Moved by up to 2 ms and turned where it adds"
              checked={fit}
              onChange={() => setFit(!fit)}
            />
            <Form.Check
              type="switch"
              id={`rests-under-${one.id}`}
              label={`${other.name} no longer plays by itself`}
              checked={rests}
              onChange={() => setRests(!rests)}
            />
            <button type="button" className="btn btn-plain" onClick={() => hear(one.hit)}>
              Hear it alone
            </button>
            <button
              type="button"
              className="btn btn-plain"
              disabled={!solved}
              onClick={() => found && hear(found.made.hit)}
            >
              Hear both
            </button>
            <button
              type="button"
              className="btn btn-strong"
              disabled={!solved || editor.busy !== null}
              onClick={() => {
                const asked = { part: one.id, by: other.id, share_pct: share, aligned: fit, rests };
                editor.send({ kind: "reinforce", ...asked }, `${other.name} under ${one.name}`);
                setId(null);
              }}
            >
              Put it under
            </button>
          </>
        )}
      </div>
      {(trouble || (other && made.isError)) && <p className="clash-text mb-0">{trouble ?? made.error?.message}</p>}
      {other && (
        <p className="soft small mb-0 mt-2" role="status">
          {made.isFetching ? "fitting and measuring…" : found?.said.join("; ")}
        </p>
      )}
    </section>
  );
}
