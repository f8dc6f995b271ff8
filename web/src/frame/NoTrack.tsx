import { useQueryClient } from "@tanstack/react-query";
import { Button } from "react-bootstrap";
import { api } from "../api/client";
import { keys } from "../queries/queries";
import { useData } from "../queries/useData";

/** Every track is put away, or none was made: begin one, or bring one back. */
export function NoTrack({ onOpen }: { onOpen: (id: string) => void }) {
  const cache = useQueryClient();
  const { sheet, trouble, change } = useData();
  const begin = () =>
    change(async () => {
      const made = await api.newTrack();
      onOpen(made.id);
      await cache.invalidateQueries({ queryKey: keys.tracks });
      return api.data({});
    });
  return (
    <main style={{ padding: 40, maxWidth: 560 }}>
      <h2>No track is here</h2>
      {trouble && <p className="clash-text mt-2">{trouble}</p>}
      <Button variant="strong" className="my-3" onClick={() => void begin()}>
        New track
      </Button>
      {sheet.data?.archived.map((one) => (
        <p key={one.id}>
          <Button variant="plain" onClick={() => void change(() => api.archiveTrack(one.id, false))}>
            Bring back {one.name}
          </Button>
        </p>
      ))}
    </main>
  );
}
