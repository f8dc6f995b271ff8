import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { ProposalKind } from "../api/proposals";
import { useSaved } from "../queries/editor";
import { proposalsQuery } from "../queries/queries";
import { useRested } from "../queries/useRested";
import { useHeard } from "./useHeard";

const BASS = "bass";

/** Proposals of a kind, asked for while they are wanted and nothing has been touched for a while; heard, and taken. */
export function useProposals<K extends ProposalKind>(kind: K, wanted: boolean, part = BASS) {
  const editor = useSaved();
  const { settled, state } = editor;
  const fresh = settled === state;
  const rested = useRested();
  const found = useQuery({ ...proposalsQuery(settled.id, settled.revision, kind, part), enabled: wanted && rested });
  const [strike, trouble] = useHeard();
  return {
    editor,
    found,
    trouble,
    /** Whether what is listed is about the track as it is. */
    heard: fresh,
    taken: editor.busy === null && fresh,
    hear: (id: string) =>
      strike(`${kind} ${settled.id} ${settled.revision} ${part} ${id}`, () =>
        api.proposalLoop(settled.id, settled.revision, kind, id, part),
      ),
    take: (id: string, label: string) => editor.send({ kind: "proposal", of: kind, id, part }, label),
  };
}
