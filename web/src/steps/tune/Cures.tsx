import { useQuery } from "@tanstack/react-query";
import { memo } from "react";
import type { Cure, MeetingView } from "../../api/types";
import { pretty, prettyText } from "../../controls/figures";
import { useSaved } from "../../queries/editor";
import { curesQuery } from "../../queries/queries";

interface Props {
  meeting: MeetingView;
  fresh: boolean;
  onHear: (cure: Cure | null) => void;
}

/** What could be done about one note: every way measured, heard before it is applied. */
export const Cures = memo(function Cures({ meeting, fresh, onHear }: Props) {
  const editor = useSaved();
  const { settled } = editor;
  const found = useQuery({ ...curesQuery(settled.id, settled.revision, meeting.note), enabled: fresh });
  if (found.isError) return <p className="clash-text small">This could not be measured: {found.error.message}</p>;
  if (!found.data) return <p className="soft small mb-1">Rendering and measuring each way out…</p>;
  if (found.data.length === 0) {
    return (
      <p className="soft small mb-1">Nothing that was tried halves the beats; move the kick by hand, or the line.</p>
    );
  }
  return (
    <table className="plain" aria-label={`Ways out for ${pretty(meeting.name)}`}>
      <thead>
        <tr>
          <th>Way out</th>
          <th>Beats left</th>
          <th>Worst of the line</th>
          <th>What it costs</th>
          <th className="text-end">
            <button type="button" className="btn btn-plain" disabled={!fresh} onClick={() => onHear(null)}>
              Hear as it is
            </button>
          </th>
        </tr>
      </thead>
      <tbody>
        {found.data.map((one) => (
          <tr key={one.id}>
            <td>
              <strong>{prettyText(one.title)}</strong>
            </td>
            <td className="mono">{one.beats.toFixed(2)}</td>
            <td className="mono">{one.worst_beats.toFixed(2)}</td>
            <td className="soft wrap">{prettyText(one.cost)}</td>
            <td className="text-end text-nowrap">
              <button
                type="button"
                className="btn btn-plain"
                disabled={!fresh}
                aria-label={`Hear: ${prettyText(one.title)}`}
                onClick={() => onHear(one)}
              >
                Hear
              </button>
              <button
                type="button"
                className="btn btn-plain"
                disabled={editor.busy !== null || !fresh}
                aria-label={`Apply: ${prettyText(one.title)}`}
                onClick={() => editor.send({ kind: "cure", note: meeting.note, cure: one.id }, one.title)}
              >
                Apply
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
});
