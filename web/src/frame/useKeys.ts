import { useEffect } from "react";
import { useNavigate } from "react-router";
import type { Band } from "../audio/band";
import { usePlayer } from "../audio/usePlayer";
import { useEditor } from "../queries/editor";
import { stepsOf } from "./steps";

/** Keys that work on every step, as the help dialog lists them. */
export const KEYS: [string, string][] = [
  ["Space", "Play the loop from its mark, or stop; held: as long as it is held"],
  ["A", "Before or after"],
  ["L", "Low end alone, below 300 Hz or where you move it"],
  ["O", "Middle alone, up to 4 kHz"],
  ["P", "Top alone, from 4 kHz"],
  ["K", "Kick alone"],
  ["B", "Bass alone"],
  ["W", "While something is by-passed: with it or without"],
  ["Z X C V N M , . and S to J", "On Hits: play the pads; Shift is full strength"],
  ["A to P, two rows", "On Track, while a part is played in: notes"],
  ["1 to 6", "Go to a step"],
  ["Shift+1 to 7", "A tab of the bench"],
  ["Ctrl+Z", "Undo"],
  ["Ctrl+Shift+Z", "Redo"],
  ["Arrow keys", "Move the ruler or note in focus; Shift is fine"],
  ["Enter", "Type a value into the ruler in focus"],
  ["?", "This list"],
];

const BAND_KEYS: Record<string, Band> = { l: "low", o: "middle", p: "top" };

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.matches("input:not([type=range]), textarea, select") || target.isContentEditable);

export function useKeys(onHelp: () => void) {
  const [player] = usePlayer();
  const editor = useEditor();
  const navigate = useNavigate();
  useEffect(() => {
    let held = false;
    const listen = (event: KeyboardEvent) => {
      if (typing(event.target) || event.altKey || event.defaultPrevented || document.querySelector(".modal.show"))
        return;
      const key = event.key.toLowerCase();
      // While a part is played in, letters are notes.
      if (/^[a-z]$/.test(key) && !event.ctrlKey && !event.metaKey && document.querySelector("[data-plays-in]"))
        return;
      if (event.ctrlKey || event.metaKey) {
        if (key === "z") event.shiftKey ? editor.redo() : editor.undo();
        else if (key === "y") editor.redo();
        else return;
        event.preventDefault();
        return;
      }
      const step = stepsOf(editor.track.carve.order)[Number(key) - 1];
      if (key === " ") {
        if (event.repeat) held = true;
        else void player.toggle();
      } else if (key === "a") player.setSide(player.view.side === "before" ? "after" : "before");
      else if (BAND_KEYS[key]) player.setBand(player.view.band === BAND_KEYS[key] ? "all" : BAND_KEYS[key]);
      else if (key === "k") player.setSolo(player.view.solo === "kick" ? null : "kick");
      else if (key === "b") player.setSolo(player.view.solo === "bass" ? null : "bass");
      else if (key === "w" && player.view.leftOut) player.setWithout(!player.view.without);
      else if (key === "?") onHelp();
      else if (step) void navigate(step.path);
      else return;
      event.preventDefault();
    };
    // Before a focused button takes the Space for itself.
    window.addEventListener("keydown", listen, { capture: true });
    const up = (event: KeyboardEvent) => {
      if (event.key !== " " || typing(event.target) || document.querySelector(".modal.show")) return;
      event.preventDefault();
      // Held, it is heard as long as it is held.
      if (held && player.view.playing) player.stop();
      held = false;
    };
    window.addEventListener("keyup", up, { capture: true });
    return () => {
      window.removeEventListener("keydown", listen, { capture: true });
      window.removeEventListener("keyup", up, { capture: true });
    };
  }, [player, editor, navigate, onHelp]);
}
