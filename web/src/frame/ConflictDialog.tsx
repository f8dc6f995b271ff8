import { Button, Modal } from "react-bootstrap";
import { useEditor } from "../queries/editor";

/** Two tabs changed the same track: nothing is overwritten unasked, and both versions stay in the history. */
export function ConflictDialog() {
  const { conflict, resolve } = useEditor();
  return (
    <Modal
      aria-labelledby="conflict-title"
      show={conflict !== null}
      backdrop="static"
      keyboard={false}
      centered
      animation={false}
    >
      <Modal.Header>
        <Modal.Title as="h2" id="conflict-title">
          This track was changed in another tab
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>
          Your change here, <strong>{conflict?.mine.label}</strong>, was made on an older version. It has not been
          stored, and nothing was overwritten.
        </p>
        <p className="mb-0 soft">
          Putting yours on top replaces the other tab's version; undo brings that version back. Keeping theirs drops
          your change.
        </p>
      </Modal.Body>
      <Modal.Footer>
        <Button variant="plain" onClick={() => resolve("mine")}>
          Put mine on top
        </Button>
        <Button variant="strong" onClick={() => resolve("theirs")}>
          Keep theirs
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
