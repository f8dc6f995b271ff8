import said from "virtual:meanings";
import type { ReactNode } from "react";
import { OverlayTrigger, Tooltip } from "react-bootstrap";

interface Props {
  /** The name under which docs/methods.md has it. */
  of: string;
  children: ReactNode;
}

/** A figure that says what it means where it is hovered or has the focus. */
export function Means({ of, children }: Props) {
  const text = said[of];
  if (!text) return <>{children}</>;
  return (
    <OverlayTrigger
      trigger={["hover", "focus"]}
      placement="bottom"
      overlay={<Tooltip className="meaning">{text}</Tooltip>}
    >
      <span className="means" tabIndex={0} data-means={of}>
        {children}
      </span>
    </OverlayTrigger>
  );
}
