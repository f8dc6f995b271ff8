import { Button, Modal } from "react-bootstrap";
import { KEYS } from "./useKeys";

export function KeysDialog({ show, onHide }: { show: boolean; onHide: () => void }) {
  return (
    <Modal aria-labelledby="keys-title" show={show} onHide={onHide} centered animation={false}>
      <Modal.Header>
        <Modal.Title as="h2" id="keys-title">
          Keys
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <table className="plain">
          <tbody>
            {KEYS.map(([key, does]) => (
              <tr key={key}>
                <td className="mono">{key}</td>
                <td>{does}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="soft small mt-3 mb-0">
          Loud low end hurts ears and loudspeakers. Previews start quiet, are limited to −1 dBTP and filtered below 20
          Hz. Published guidance: 80 dBA for 40 hours a week (ITU-T H.870); at work 85 dBA for 8 hours, half the time
          for each 3 dB more (NIOSH 98-126). Local rules and hearing professionals come first.
        </p>
      </Modal.Body>
      <Modal.Footer>
        <Button variant="plain" onClick={onHide}>
          Close
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
