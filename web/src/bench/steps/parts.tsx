/** Small parts that the controls of all steps share. */
import { Tooltip } from "antd";
import type { ReactNode } from "react";

export function Field({ label, hint, children }: { label: string; hint?: string; children: ReactNode }) {
  const text = <span className="field-label">{label}</span>;
  return (
    <div className="field">
      {hint ? (
        <Tooltip title={hint} placement="left">
          {text}
        </Tooltip>
      ) : (
        text
      )}
      {children}
    </div>
  );
}

export function Fact({ label, value, hint }: { label: string; value: ReactNode; hint?: string }) {
  const text = <span className="quiet">{label}</span>;
  return (
    <div className="field">
      {hint ? (
        <Tooltip title={hint} placement="left">
          {text}
        </Tooltip>
      ) : (
        text
      )}
      <span className="mono fact">{value}</span>
    </div>
  );
}

export function Note({ children, tone = "quiet" }: { children: ReactNode; tone?: "quiet" | "warn" }) {
  return <div className={tone === "warn" ? "note warn" : "note quiet"}>{children}</div>;
}
