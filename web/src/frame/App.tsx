import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Button } from "react-bootstrap";
import { EditorProvider } from "../queries/editor";
import { ParametersProvider, type Schema } from "../queries/parameters";
import { parametersQuery, trackQuery, tracksQuery } from "../queries/queries";
import { NoTrack } from "./NoTrack";
import { Workbench } from "./Workbench";

const OPEN_KEY = "juglant-open-track";

function Notice({ children }: { children: ReactNode }) {
  return <main style={{ padding: 40, maxWidth: 560 }}>{children}</main>;
}

/** Finds the track to open, then hands over to the workbench. */
export function App() {
  const tracks = useQuery(tracksQuery());
  const parameters = useQuery(parametersQuery());
  const [chosen, setChosen] = useState(() => localStorage.getItem(OPEN_KEY));
  const known = tracks.data?.some((track) => track.id === chosen);
  const id = known ? chosen : (tracks.data?.[0]?.id ?? null);
  const track = useQuery({ ...trackQuery(id ?? ""), enabled: id !== null });
  const open = (next: string) => {
    localStorage.setItem(OPEN_KEY, next);
    setChosen(next);
  };
  const failed = [tracks, parameters, track].find((query) => query.isError && !query.data);
  if (failed) {
    return (
      <Notice>
        <h2>Juglant cannot be reached</h2>
        <p className="mt-2">{failed.error?.message}</p>
        <Button variant="plain" onClick={() => void failed.refetch()}>
          Try again
        </Button>
      </Notice>
    );
  }
  if (tracks.data?.length === 0) return <NoTrack onOpen={open} />;
  if (!track.data || !parameters.data) return <Notice>Opening the track…</Notice>;
  return (
    <ParametersProvider schema={parameters.data as Schema}>
      <EditorProvider key={track.data.id} state={track.data}>
        <Workbench tracks={tracks.data ?? []} onOpen={open} />
      </EditorProvider>
    </ParametersProvider>
  );
}
