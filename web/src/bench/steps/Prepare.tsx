/** Prepare: what the file says of itself, and what it does not say. */
import { InputNumber } from "antd";
import type { Edit } from "../../api/client";
import { bytesText, rateText } from "../../ui/format";
import { useWork } from "../context";
import { Colour } from "./Colour";
import { Fact, Field, Note } from "./parts";

export function Prepare() {
  const { plate, document, firstFrame, edit, count } = useWork();
  const f = plate.facts;
  if (!f) return <Note>The plate is still being read.</Note>;
  return (
    <div className="rows">
      <h2>Plate</h2>
      <Fact label="File" value={plate.name} />
      <Fact label="Size" value={`${f.width} x ${f.height} px`} />
      <Fact label="Pixels" value={f.pixel_aspect.replace("/", ":")} />
      <Fact label="Frames" value={`${f.frame_count}, ${firstFrame}-${firstFrame + f.frame_count - 1}`} />
      <Fact label="Encoding" value={`${f.codec}, ${f.pixel_format}`} />
      <Fact label="Sound" value={f.sound ? `${f.sound.codec}, ${f.sound.channels} ch, ${f.sound.sample_rate / 1000} kHz` : "none"} />
      <Fact label="On disk" value={bytesText(plate.bytes)} />
      {f.kind === "film" ? (
        <Fact label="Rate" value={rateText(f.rate)} />
      ) : (
        <Field label="Rate" hint="Stills carry no rate: say it, never guess it">
          <InputNumber
            size="small"
            min={1}
            max={240}
            step={1}
            aria-label="frames a second"
            value={document.plate.rate ? Number(document.plate.rate.split("/")[0]) / Number(document.plate.rate.split("/")[1]) : null}
            suffix="fps"
            onChange={(v) => v && void edit({ kind: "set_plate_facts", rate: `${Math.round(v * 1000)}/1000` } as Edit)}
          />
        </Field>
      )}
      <Field label="First frame number" hint="The number people quote for the first frame">
        <InputNumber
          size="small"
          min={0}
          max={1_000_000}
          aria-label="number of the first frame"
          precision={0}
          value={firstFrame}
          onChange={(v) => v !== null && void edit({ kind: "set_plate_facts", first_frame: v } as Edit)}
        />
      </Field>
      <Colour facts={f} choice={document.plate.colour} placement={null} />
      {plate.state === "reading" && <Note>{`${plate.proxies} of ${count} frames are ready for scrubbing; the rest is being read.`}</Note>}
      {f.notes.map((n) => (
        <Note key={n} tone="warn">
          {n}
        </Note>
      ))}
    </div>
  );
}
