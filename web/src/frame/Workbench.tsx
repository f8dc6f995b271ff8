import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";
import type { Strip, TrackLine } from "../api/types";
import { usePlayer } from "../audio/usePlayer";
import { LandmarksProvider } from "../controls/landmarks";
import { BAR_BEATS } from "../plots/axis";
import { TimeProvider } from "../plots/timeAxis";
import { useEditor, useSaved } from "../queries/editor";
import { viewQuery } from "../queries/queries";
import { DataStep } from "../steps/DataStep";
import { DeliverStep } from "../steps/DeliverStep";
import { DuckStep } from "../steps/DuckStep";
import { HitsStep } from "../steps/HitsStep";
import { SeparateStep } from "../steps/SeparateStep";
import { TakesStep } from "../steps/TakesStep";
import { TrackStep } from "../steps/TrackStep";
import { TuneStep } from "../steps/TuneStep";
import { FoldedStrip } from "../strip/FoldedStrip";
import { AgainContext, LoadContext } from "../takes/LoadButton";
import { LoadDialog } from "../takes/LoadDialog";
import { useLoading } from "../takes/useLoading";
import { ConflictDialog } from "./ConflictDialog";
import { KeysDialog } from "./KeysDialog";
import { NotStored } from "./NotStored";
import { NoticeLine, useNotices } from "./notices";
import { Running } from "./Running";
import { Says } from "./Says";
import { Steps } from "./Steps";
import { TopBar } from "./TopBar";
import { useAnchored } from "./useAnchored";
import { useKeys } from "./useKeys";
import { useRoomBelow } from "./useRoomBelow";
import { useTall } from "./useTall";

interface Props {
  tracks: TrackLine[];
  onOpen: (id: string) => void;
}

/** The frame: top bar, steps, low-end strip, bench, what the numbers say. */
export function Workbench({ tracks, onOpen }: Props) {
  const editor = useSaved();
  const [player] = usePlayer();
  const location = useLocation();
  const [help, setHelp] = useState(false);
  const [place, setPlace] = useState<string | null>(null);
  const loading = useLoading();
  const { state, settled } = editor;
  const view = useQuery({ ...viewQuery(settled.id, settled.revision), placeholderData: keepPreviousData });
  useKeys(() => setHelp(true));
  const bench = useRef<HTMLElement>(null);
  useAnchored(bench);
  const room = useRoomBelow("--notices-px");

  useEffect(() => player.want(state), [player, state]);
  const { say } = useNotices();
  const opened = state.said?.join("; ");
  useEffect(() => {
    if (opened) say({ text: `${opened.charAt(0).toUpperCase()}${opened.slice(1)}.` });
  }, [opened, say]);
  const matchDb = view.data?.report.levels.match_db;
  useEffect(() => {
    if (matchDb !== undefined) player.setMatch(matchDb);
  }, [player, matchDb]);

  const data = view.data;
  // What is about to be fitted again is not found fault with before it is.
  const behind = state.refit.length > 0 && editor.mayRefit();
  const kick = data?.report.kick;
  const note = data?.report.tuning?.landing_note;
  const { landing_hz: hz = null, cents = null } = kick ?? {};
  // The same object while it says the same: the strip is drawn anew only when it changes.
  const wide = data?.report.tuning?.wide_margin_cents ?? null;
  const landing = useMemo(
    () => (note && hz && cents !== null ? { note, cents, hz, wide } : null),
    [note, hz, cents, wide],
  );
  const tall = useTall();
  const hitsStep = location.pathname === "/hits";
  return (
    <Landmarks rungs={data?.strip.rungs ?? NO_RUNGS}>
      <LoadContext value={loading.add}>
        <AgainContext value={loading.again}>
          <div className="app">
            <TopBar view={data} tracks={tracks} onOpen={onOpen} onHelp={() => setHelp(true)} />
            <Steps states={data?.steps ?? []} />
            <main ref={bench} aria-busy={view.isFetching || settled !== state || !editor.stored}>
              {data ? (
                <>
                  <FoldedStrip
                    strip={data.strip}
                    height={hitsStep ? 104 : tall ? 220 : 150}
                    landing={landing}
                    finding={data.report.findings.find((one) => one.id === place)}
                  />
                  <Routes>
                    <Route path="/track" element={<TrackStep view={data} />} />
                    <Route path="/hits" element={<HitsStep />} />
                    <Route path="/tune" element={<TuneStep view={data} />} />
                    <Route path="/separate" element={<SeparateStep view={data} />} />
                    <Route path="/duck" element={<DuckStep view={data} />} />
                    <Route path="/deliver" element={<DeliverStep view={data} onOpen={onOpen} />} />
                    <Route path="/takes" element={<TakesStep />} />
                    <Route path="/data" element={<DataStep tracks={tracks} onOpen={onOpen} />} />
                    <Route path="*" element={<Navigate to="/track" replace />} />
                  </Routes>
                </>
              ) : (
                !view.isError && <p className="soft p-4">Rendering and measuring the track…</p>
              )}
            </main>
            <div className="notices" ref={room}>
              <NoticeLine />
              <Running />
              {editor.trouble && <NotStored trouble={editor.trouble} />}
              {view.isError && (
                <div className="banner" role="alert">
                  <span>The track could not be measured: {view.error.message} Your track is safe.</span>
                  <button type="button" className="btn btn-plain ms-auto" onClick={() => void view.refetch()}>
                    Measure again
                  </button>
                </div>
              )}
            </div>
            <Says view={data} fresh={!view.isPlaceholderData && settled === state && !behind} onPlace={setPlace} />
            <ConflictDialog />
            <KeysDialog show={help} onHide={() => setHelp(false)} />
            <LoadDialog loading={loading} />
          </div>
        </AgainContext>
      </LoadContext>
    </Landmarks>
  );
}

const NO_RUNGS: Strip["rungs"] = [];

/** What rulers are marked by, from the sheet as it is in the hand. */
function Landmarks({ rungs, children }: { rungs: Strip["rungs"]; children: ReactNode }) {
  const { sheet } = useEditor().track;
  return (
    <LandmarksProvider bpm={sheet.bpm} a4Hz={sheet.a4_hz} middleC={sheet.middle_c} rungs={rungs}>
      <TimeProvider beats={sheet.bars * BAR_BEATS}>{children}</TimeProvider>
    </LandmarksProvider>
  );
}
