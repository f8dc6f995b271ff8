import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Form } from "react-bootstrap";
import { api } from "../../api/client";
import type { Hit, Like, Part, RollRow } from "../../api/types";
import { usePlayer } from "../../audio/usePlayer";
import { Choice } from "../../controls/Choice";
import { figure } from "../../controls/figures";
import { useEditor } from "../../queries/editor";
import { awayQuery, keptQuery, keys, rollsQuery, sheetQuery } from "../../queries/queries";
import { FrontControls } from "./FrontControls";
import { Picked } from "./Picked";
import { placeKey, soundRole } from "./pads";
import { Sheet } from "./Sheet";
import { LIKED, SORTS, type SortBy, sorted } from "./sorting";

interface Props {
  one: Part;
  onHit: (label: string, change: (hit: Hit) => Hit, gesture?: string) => void;
}

export interface Pick {
  name: string;
  hit: Hit;
}

const FIRST_AMOUNT = 40;

/** Rolls of the hit, the history of all of them, one roll's sheet, and what was kept. */
export function Variations({ one, onHit }: Props) {
  const { state } = useEditor();
  const cache = useQueryClient();
  const [player] = usePlayer();
  const [amount, setAmount] = useState(FIRST_AMOUNT);
  const [onlyFront, setOnlyFront] = useState(false);
  const [opened, setOpened] = useState<number | null>(null);
  const [sortBy, setSortBy] = useState<SortBy>("rolled");
  const [picked, setPicked] = useState<(Pick & { roll: number; index: number }) | (Pick & { kept: string }) | null>(
    null,
  );
  // Which one of which roll the sheet is sorted by; another one that is heard does not move what is under the hand.
  const [liked, setLiked] = useState<{ roll: number; index: number } | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const rolls = useQuery(rollsQuery(state.id, one.id));
  const roll = rolls.data?.find((row) => row.number === opened) ?? rolls.data?.[0];
  const kept = useQuery(keptQuery());
  const own = kept.data?.filter((each) => each.kind === "hit" && each.role === soundRole(one.role)) ?? [];

  const noFront = one.hit.front.length === 0;
  const rollNow = async (like: Like | null = null) => {
    try {
      const made = await api.roll(state.id, one.id, amount, onlyFront && !noFront, like);
      setOpened(made.number);
      setPicked(null);
      setTrouble(null);
      cache.setQueryData<RollRow[]>(keys.rolls(state.id, one.id), (all) => [made, ...(all ?? [])]);
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  const hear = (key: string, get: () => Promise<ArrayBuffer>) =>
    void player.strike(key, get, false).catch((error) => setTrouble(String(error.message ?? error)));
  return (
    <section aria-label="Variations">
      <div className="bench-head">
        <button
          type="button"
          className="btn btn-strong"
          disabled={one.hit.layers.length === 0 || (onlyFront && noFront)}
          onClick={() => void rollNow()}
        >
          Roll sixteen
        </button>
        <label className="soft" htmlFor="roll-amount">
          How far
        </label>
        <input
          id="roll-amount"
          type="range"
          min={5}
          max={100}
          step={5}
          value={amount}
          onChange={(event) => setAmount(Number(event.target.value))}
        />
        <span className="mono">{figure(amount, "%")}</span>
        <Form.Check
          type="switch"
          id="only-front"
          label="Only the front controls"
          disabled={noFront}
          checked={onlyFront && !noFront}
          onChange={() => setOnlyFront(!onlyFront)}
        />
        <span className="soft small">{one.hit.locked.length} locked; the landing stays</span>
        {trouble && <span className="clash-text small">{trouble}</span>}
      </div>
      <FrontControls one={one} onHit={onHit} />
      {rolls.data?.length === 0 && (
        <p className="soft">
          No rolls yet. A roll makes sixteen variations of this hit inside musical ranges; every one is kept in the
          history.
        </p>
      )}
      {roll && (
        <>
          <div className="bench-head">
            <span className="soft">sorted by</span>
            <div style={{ width: 190 }} className="bare">
              <Choice
                label="Sorted by"
                value={sortBy === "liked" && liked?.roll !== roll.number ? "rolled" : sortBy}
                options={liked?.roll === roll.number ? [...SORTS, LIKED] : SORTS}
                onChange={setSortBy}
              />
            </div>
            <History rolls={rolls.data ?? []} shown={roll.number} onOpen={setOpened} />
          </div>
          <RollSheet
            key={roll.number}
            roll={roll}
            sortBy={sortBy}
            liked={liked?.roll === roll.number ? liked.index : null}
            chosen={picked && "roll" in picked && picked.roll === roll.number ? picked.index : null}
            onChoose={(place) => {
              setPicked({
                roll: roll.number,
                index: place.index,
                hit: place.hit,
                name: `${one.name} ${roll.number}-${place.index + 1}`,
              });
              hear(`roll ${state.id} ${roll.number} ${place.index}`, () =>
                api.variation(state.id, roll, place.index),
              );
            }}
          />
        </>
      )}
      {own.length > 0 && (
        <div className="bench-head kept" role="group" aria-label="Kept">
          <h3>Kept</h3>
          {own.map((each) => (
            <button
              type="button"
              key={each.id}
              className="btn btn-plain"
              aria-pressed={picked !== null && "kept" in picked && picked.kept === each.id}
              onClick={() => {
                setPicked({ kept: each.id, hit: each.hit, name: each.name });
                hear(`kept ${each.id} ${one.id} ${placeKey(state.track, one)} ${JSON.stringify(each.hit)}`, () =>
                  api.sound(state.id, one.id, each.hit),
                );
              }}
            >
              {each.name} <span className="mono soft">{figure(each.features.length_ms, "ms")}</span>
            </button>
          ))}
        </div>
      )}
      {picked && (
        <Picked
          key={picked.name}
          one={one}
          picked={picked}
          keep={"roll" in picked}
          onLiked={
            "roll" in picked
              ? () => {
                  setLiked({ roll: picked.roll, index: picked.index });
                  setSortBy("liked");
                }
              : null
          }
          onLike={(side) => {
            const roll = "roll" in picked ? picked.roll : null;
            void rollNow({ side, hit: picked.hit, name: picked.name, roll });
          }}
          onHit={onHit}
        />
      )}
    </section>
  );
}

function History({ rolls, shown, onOpen }: { rolls: RollRow[]; shown: number; onOpen: (roll: number) => void }) {
  return (
    <div className="history" role="group" aria-label="Rolls so far">
      {rolls.map((row) => (
        <button
          type="button"
          key={row.number}
          className="btn btn-plain"
          aria-pressed={row.number === shown}
          title={`${new Date(row.created_at).toLocaleString()}, seed ${row.seed}`}
          onClick={() => onOpen(row.number)}
        >
          Roll {row.number} <span className="soft mono">{figure(row.amount_pct, "%")}</span>
          {row.only_front ? " front" : ""}
          {row.like_side && ` ${row.like_side} like ${row.like_name}`}
        </button>
      ))}
    </div>
  );
}

interface RollSheetProps {
  roll: RollRow;
  sortBy: SortBy;
  liked: number | null;
  chosen: number | null;
  onChoose: (place: { index: number; hit: Hit }) => void;
}

function RollSheet({ roll, sortBy, liked, chosen, onChoose }: RollSheetProps) {
  const { state } = useEditor();
  const [player] = usePlayer();
  const sheet = useQuery(sheetQuery(state.id, roll));
  const places = sheet.data;
  const away = useQuery({ ...awayQuery(state.id, roll, liked ?? 0), enabled: liked !== null && sortBy === "liked" });
  useEffect(() => {
    if (!places) return;
    performance.mark("juglant-sheet");
    const ready = places.map((place) =>
      player.ready(`roll ${state.id} ${roll.number} ${place.index}`, () =>
        api.variation(state.id, roll, place.index),
      ),
    );
    // A sound that could not be fetched ahead is fetched when it is struck.
    void Promise.allSettled(ready).then(() => performance.mark("juglant-sheet-sounds"));
  }, [places, player, state.id, roll]);
  if (sheet.isError) return <p className="clash-text">{sheet.error.message}</p>;
  if (!places) return <p className="soft">Rendering and measuring sixteen variations…</p>;
  return (
    <Sheet
      places={sorted(places, sortBy, away.data)}
      chosen={chosen}
      onChoose={(index) => {
        const place = places[index];
        if (place) onChoose(place);
      }}
    />
  );
}
