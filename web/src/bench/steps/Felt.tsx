/** A number that is felt rather than known: a slider that is live, and a field beside it. */
import { InputNumber, Slider } from "antd";
import { useRef, useState } from "react";
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { Field } from "./parts";

type Props = {
  label: string;
  hint?: string;
  name: string;
  value: number;
  min: number;
  max: number;
  step: number;
  unit?: string;
  disabled?: boolean;
  /** How far the slider goes, where the field may go further. */
  felt?: number;
  edit: (value: number) => Edit;
  onTouch?: () => void;
};

export function Felt({ label, hint, name, value, min, max, step, unit, disabled, felt, edit, onTouch }: Props) {
  const { live } = useWork();
  const [moving, setMoving] = useState<number | null>(null);
  const stroke = useRef("");
  const tell = (v: number) => live(stroke.current, edit(v));
  const begin = () => {
    stroke.current = crypto.randomUUID();
    onTouch?.();
  };
  return (
    <Field label={label} hint={hint}>
      <span className="felt">
        <Slider
          min={min}
          max={felt ?? max}
          step={step}
          disabled={disabled}
          value={moving ?? Math.min(value, felt ?? max)}
          tooltip={{ open: false }}
          ariaLabelForHandle={`${name}, slider`}
          onChange={(v) => {
            if (moving === null) begin();
            setMoving(v);
            void tell(v);
          }}
          onChangeComplete={(v) => void tell(v).then(() => setMoving(null))}
        />
        <InputNumber
          size="small"
          style={{ width: 84 }}
          min={min}
          max={max}
          step={step}
          disabled={disabled}
          value={moving ?? value}
          suffix={unit || undefined}
          aria-label={name}
          onChange={(v) => {
            if (v === null || v === value) return;
            begin();
            void tell(v);
          }}
        />
      </span>
    </Field>
  );
}
