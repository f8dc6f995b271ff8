import { api } from "../api/client";
import type { DataSheet } from "../api/types";
import { dated } from "../controls/dated";
import { useNotices } from "../frame/notices";
import { useEditor } from "../queries/editor";
import { useData } from "../queries/useData";
import { DataRows } from "./data/DataRows";
import "./data/data.css";

interface Props {
  tracks: { id: string; name: string }[];
  onOpen: (id: string) => void;
}

const SAMPLE_BYTES = 4;
const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
/** Everything of the user's: tracks, sounds that nothing uses, copies; put away first, removed for good only then. */
export function DataStep({ tracks, onOpen }: Props) {
  const { state } = useEditor();
  const { say } = useNotices();
  const { sheet, trouble, change } = useData();
  const data = sheet.data;
  const putAway = (what: string, ask: (archived: boolean) => Promise<DataSheet>) => async () => {
    if (await change(() => ask(true)))
      say({ text: `${what} is put away. Nothing of it is removed.`, undo: () => void change(() => ask(false)) });
  };
  const forGood = (what: string, ask: () => Promise<DataSheet>) => async () => {
    if (await change(ask)) say({ text: `${what} is removed for good.` });
  };
  return (
    <>
      <div className="bench-head">
        <h2>Your data</h2>
        <span className="soft">
          {data?.recordings.length
            ? "one file on this machine, long recordings beside it; copying both is a backup"
            : "one file on this machine; copying it is a backup"}
        </span>
        <a className="btn btn-strong ms-auto" href={api.exportAddress} download>
          Export every track
        </a>
      </div>
      {trouble && (
        <p className="clash-text" role="alert">
          {trouble}
        </p>
      )}
      {sheet.isError && !data && <p className="clash-text">{sheet.error.message}</p>}
      {data && (
        <>
          <p className="mb-2">
            <span className="mono wrap">{data.path}</span>, {megabytes(data.bytes)}
            {data.read_only && (
              <strong className="clash-text"> · may only be read: nothing can be stored until that is changed</strong>
            )}
          </p>
          <div className="data-sheet">
            <DataRows
              title="Tracks"
              empty="No track is here."
              rows={tracks.map((one) => ({
                id: one.id,
                name: one.name,
                said: one.id === state.id ? "open now" : "",
                acts: [
                  ...(one.id === state.id ? [] : [{ label: "Open", act: () => onOpen(one.id) }]),
                  { label: "Put away", act: putAway(one.name, (archived) => api.archiveTrack(one.id, archived)) },
                ],
              }))}
            />
            <DataRows
              title="Tracks put away"
              empty="None. A track that is put away comes back as it was, with its history."
              rows={data.archived.map((one) => ({
                id: one.id,
                name: one.name,
                said: dated(one.archived_at),
                acts: [
                  { label: "Bring back", act: () => void change(() => api.archiveTrack(one.id, false)) },
                  { label: "Remove for good", act: forGood(one.name, () => api.removeTrack(one.id)) },
                ],
              }))}
            />
            <DataRows
              title="Sounds that nothing uses"
              empty="None: every recorded sound is used by a track, its history, or something kept."
              rows={data.unused.map((one) => ({
                id: one.id,
                name: one.name,
                said: `${megabytes(one.bytes)}${one.archived ? ", put away" : ""}`,
                acts: one.archived
                  ? [
                      { label: "Bring back", act: () => void change(() => api.archiveTake(one.id, false)) },
                      { label: "Remove for good", act: forGood(one.name, () => api.removeTake(one.id)) },
                    ]
                  : [{ label: "Put away", act: putAway(one.name, (archived) => api.archiveTake(one.id, archived)) }],
              }))}
            />
            {data.recordings.length > 0 && (
              <DataRows
                title="Long recordings"
                empty=""
                note="Files in a folder beside the database, and in no backup or export of it: copy them by themselves."
                rows={data.recordings.map((one) => ({
                  id: one.id,
                  name: one.name,
                  said: `${megabytes(one.duration_s * one.sample_rate * one.channels * SAMPLE_BYTES)}, ${dated(one.created_at)}${one.away ? ", put away" : ""}`,
                  acts: one.away
                    ? [
                        { label: "Bring back", act: () => void change(() => api.putRecordingAway(one.id, false)) },
                        { label: "Remove for good", act: forGood(one.name, () => api.removeRecording(one.id)) },
                      ]
                    : [{ label: "Put away", act: putAway(one.name, (away) => api.putRecordingAway(one.id, away)) }],
                }))}
              />
            )}
            <DataRows
              title="Backups beside it"
              empty="None yet."
              head={{ label: "Back up now", act: () => void change(() => api.backUp()) }}
              note={`The newest ${data.kept_backups} are kept. On the command line: ./juglant backup FILE, ./juglant restore FILE`}
              rows={data.backups.map((one) => ({
                id: one.name,
                name: one.name,
                said: `${megabytes(one.bytes)}, ${dated(one.made_at_s)}`,
                acts: [{ label: "Remove", act: forGood(one.name, () => api.removeBackup(one.name)) }],
              }))}
            />
          </div>
        </>
      )}
    </>
  );
}
