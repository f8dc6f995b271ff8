import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { ApiError, api } from "../../api/client";
import type { Hit, Role } from "../../api/types";
import { keys } from "../../queries/queries";

interface Props {
  trackId: string;
  kind: "hit" | "layer";
  role: Role;
  hit: Hit;
  proposed: string;
}

const TAKEN = 409;

/** Keep a hit or a layer under a name; a name in use is only replaced when that is asked for. */
export function KeepForm({ trackId, kind, role, hit, proposed }: Props) {
  const cache = useQueryClient();
  const [name, setName] = useState(proposed);
  const [said, setSaid] = useState<{ text: string; taken: boolean } | null>(null);
  const keep = async (replace: boolean) => {
    const wanted = name.trim();
    if (!wanted) return setSaid({ text: "Give it a name first.", taken: false });
    try {
      await api.keep(trackId, { kind, name: wanted, role, hit, replace });
      setSaid({ text: `Kept as ${wanted}.`, taken: false });
      await cache.invalidateQueries({ queryKey: keys.kept });
    } catch (error) {
      const taken = error instanceof ApiError && error.status === TAKEN;
      setSaid({ text: error instanceof Error ? error.message : String(error), taken });
    }
  };
  return (
    <form
      className="keep"
      aria-label={`Keep this ${kind}`}
      onSubmit={(event) => {
        event.preventDefault();
        void keep(false);
      }}
    >
      <Form.Control
        size="sm"
        aria-label="Name to keep it under"
        maxLength={40}
        value={name}
        onChange={(event) => {
          setName(event.target.value);
          setSaid(null);
        }}
      />
      <button type="submit" className="btn btn-plain">
        Keep {kind === "layer" ? "this layer" : "it"}
      </button>
      {said?.taken && (
        <button type="button" className="btn btn-plain" onClick={() => void keep(true)}>
          Replace the kept one
        </button>
      )}
      <span className="soft small" role="status">
        {said?.text}
      </span>
    </form>
  );
}
