const HELD = "held-";

/** A name for one movement of the hand: its edits are undone together. */
export const newGesture = () => Math.random().toString(36).slice(2, 12);

/** The same for a control that shows its own position: what else follows from it may be drawn a little later. */
export const heldGesture = () => HELD + newGesture();

export const isHeld = (gesture: string | null | undefined) => gesture?.startsWith(HELD) ?? false;
