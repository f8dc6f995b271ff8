import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../api/client";
import { bassOf, instrumentOf, othersOf } from "../api/parts";
import type { View } from "../api/types";
import { beatMs, figure, offNote, pretty } from "../controls/figures";
import { useEditor } from "../queries/editor";
import { keys } from "../queries/queries";
import { useDownload } from "../queries/useDownload";
import { duckedParts, partName } from "./duck/duckedParts";
import { duckInWords } from "./duck/duckSentence";

const FILES: [string, string][] = [
  ["kick.wav", "the kick, 24-bit, peak −1 dBFS, root note for samplers"],
  ["hits/", "every hit of the kit, its round robins, and each pitch that strokes have of their own, as the kick"],
  ["loop.wav, loop-before.wav", "the loop as heard, and before carve and duck"],
  ["stems/", "every part before, un-ducked and as heard: 32-bit float; the rest of the track only where asked"],
  ["track.mid", "kick, kit and bass pattern with strengths and the tempo"],
  [
    "duck-…",
    "every duck as gain over time: CSV, JSON, MIDI controller 11, and samples at 8 kHz; ducks.txt to type in; the trigger where used",
  ],
  ["report.json", "every figure on these screens"],
  ["takes/", "recorded sounds the track is made of, if any, as they were loaded"],
  ["track.json", "the whole track; this zip loads back as it is"],
];

/** Files and numbers for any host, and the way back in. */
export function DeliverStep({ view, onOpen }: { view: View; onOpen: (id: string) => void }) {
  const { state, track } = useEditor();
  const cache = useQueryClient();
  const download = useDownload();
  const others = othersOf(track).some((one) => one.role === "context");
  const [rest, setRest] = useState(false);
  const [said, setSaid] = useState<string | null>(null);
  const { kick, tuning, carve, clearance, levels, findings } = view.report;
  const { steady } = bassOf(track);
  const open = findings.filter((one) => !one.intended && one.severity !== "note").length;
  const load = async (file: File | undefined) => {
    if (!file) return;
    setSaid(`Loading ${file.name}…`);
    try {
      const loaded = await api.load(file);
      await cache.invalidateQueries({ queryKey: keys.tracks });
      setSaid(`${loaded.track.name} is open. The track that was open before is kept.`);
      onOpen(loaded.id);
    } catch (error) {
      setSaid(`${file.name} was not loaded: ${error instanceof Error ? error.message : error} Nothing was changed.`);
    }
  };
  return (
    <>
      <div className="bench-head">
        <h2>Deliver</h2>
        <span className="soft">
          {open ? `${open} ${open === 1 ? "finding is" : "findings are"} still open` : "no open findings"}
        </span>
        {others && (
          <Form.Check
            type="switch"
            id="with-rest"
            className="ms-auto text-nowrap"
            label="With the rest of the track"
            checked={rest}
            onChange={() => setRest((now) => !now)}
          />
        )}
        <button
          type="button"
          className={`btn btn-strong ${others ? "" : "ms-auto"}`}
          disabled={download.state === "under way"}
          onClick={() => void download.get(api.bundleAddress(state.id, state.revision, rest && others))}
        >
          Download everything
        </button>
        <span className={`small ${download.state === "failed" ? "clash-text" : "soft"}`} role="status">
          {download.said}
        </span>
      </div>
      <div style={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)", gap: 14 }}>
        <div className="panel">
          <h3 className="mb-2">Files in the zip</h3>
          <table className="plain">
            <tbody>
              {FILES.map(([name, what]) => (
                <tr key={name}>
                  <td className="mono wrap">{name}</td>
                  <td className="soft">{what}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <label className="btn btn-plain mt-3" htmlFor="load-bundle">
            Load a zip or track.json
          </label>
          <input
            id="load-bundle"
            type="file"
            accept=".zip,.json"
            className="visually-hidden"
            onChange={(event) => {
              void load(event.target.files?.[0]);
              event.target.value = "";
            }}
          />
          <p className="mt-2 mb-0 small" role="status">
            {said ?? ""}
          </p>
        </div>
        <div className="panel">
          <h3 className="mb-2">Numbers for any host</h3>
          <table className="plain">
            <tbody>
              <Row
                name="Kick"
                value={
                  kick && tuning
                    ? `${pretty(tuning.landing_note)} ${offNote(kick.cents, tuning.wide_margin_cents)}, ${figure(kick.landing_hz, "Hz")}`
                    : "no pitch"
                }
              />
              <Row
                name="Kick length"
                value={
                  kick?.length_ms
                    ? `${figure(kick.length_ms, "ms")}, ${figure(kick.length_ms / beatMs(track.sheet.bpm), "beats")}, to −24 dB`
                    : "none: it is silent or ends in noise"
                }
              />
              {carve.on &&
                carve.moves.map((move, index) => (
                  <Row
                    key={index}
                    name={`EQ ${index + 1} on the ${carve.yielder}`}
                    value={`${move.shape} ${figure(move.frequency_hz, "Hz")} ${figure(move.gain_db, "dB")} Q ${figure(move.q, "")}`}
                  />
                ))}
              {carve.on &&
                carve.kick_moves.map((move, index) => (
                  <Row
                    key={`kick ${index}`}
                    name={`EQ ${index + 1} on the kick`}
                    value={`${move.shape} ${figure(move.frequency_hz, "Hz")} ${figure(move.gain_db, "dB")} Q ${figure(move.q, "")}`}
                  />
                ))}
              {carve.mirror_moves.map((move, index) => (
                <Row
                  key={`mirror ${index}`}
                  name={`EQ ${index + 1} on the ${carve.yielder === "bass" ? "kick" : "bass"}`}
                  value={`${move.shape} ${figure(move.frequency_hz, "Hz")} ${figure(move.gain_db, "dB", { sign: true })} Q ${figure(move.q, "")}`}
                />
              ))}
              {carve.on && carve.phase === "linear" && <Row name="Phase of the EQ" value="linear" />}
              {carve.kick_pass_on && (
                <Row
                  name="Kick high-pass"
                  value={`${figure(carve.kick_pass_hz, "Hz")}, 12 dB/octave, Q ${figure(carve.kick_pass_q, "")}`}
                />
              )}
              {steady.hold === "lows compressed" && (
                <Row
                  name="Compressor on the bass"
                  value={`below ${figure(steady.split_hz, "Hz")}, from ${figure(steady.threshold_db, "dB")}, ${figure(steady.ratio, "")}:1, attack ${figure(steady.attack_ms, "ms")}, release ${figure(steady.release_ms, "ms")} (63 %), make-up ${figure(steady.makeup_db, "dB", { sign: true })}`}
                />
              )}
              {steady.hold === "limited" && (
                <Row
                  name="Limiter on the bass"
                  value={`${figure(steady.ceiling_db, "dB")}, release ${figure(steady.release_ms, "ms")} (63 %), make-up ${figure(steady.makeup_db, "dB", { sign: true })}`}
                />
              )}
              {instrumentOf(track).layered && (
                <Row
                  name="Bass in layers"
                  value={`crossover ${figure(instrumentOf(track).cross_hz, "Hz")}, 24 dB/octave; sub ${figure(instrumentOf(track).sub_db, "dB")}, source ${figure(instrumentOf(track).upper_db, "dB")}`}
                />
              )}
              {instrumentOf(track).width_pct > 0 && (
                <Row name="Bass mono below" value={figure(instrumentOf(track).mono_below_hz, "Hz")} />
              )}
              {track.parts
                .filter((one) => one.role !== "context" && (one.shift_ms !== 0 || one.inverted))
                .map((one) => (
                  <Row
                    key={one.id}
                    name={`${one.name} start`}
                    value={`${figure(one.shift_ms, "ms", { sign: true })}${one.inverted ? ", polarity turned" : ""}`}
                  />
                ))}
              {carve.floor_on && (
                <Row name="Floor" value={`high-pass ${figure(carve.floor_hz, "Hz")}, 24 dB/octave`} />
              )}
              {duckedParts(track).map((part) => {
                const value = duckInWords(track, part);
                return (
                  value && (
                    <Row key={part} name={`Duck on the ${partName(track, part).toLowerCase()}`} value={value} />
                  )
                );
              })}
              <Row
                name="Kick over bass"
                value={`${figure(clearance.after_db, "dB")}, goal ${figure(clearance.goal_db, "dB")}`}
              />
              <Row name="True peak" value={figure(levels.true_peak_db, "dBTP")} />
              <Row name="Loudness of the loop" value={figure(levels.loop_loudness_lufs, "LUFS")} />
            </tbody>
          </table>
        </div>
      </div>
    </>
  );
}

function Row({ name, value }: { name: string; value: string }) {
  return (
    <tr>
      <td className="soft">{name}</td>
      <td className="mono wrap">{value}</td>
    </tr>
  );
}
