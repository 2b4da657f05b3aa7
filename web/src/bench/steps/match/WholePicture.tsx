/** The grade of the whole picture, after everything else. */
import { Switch } from "antd";
import { type Edit, type Grade, urls } from "../../../api/client";
import { useWork } from "../../context";
import { newGrade } from "../../model/grade";
import { strengthOf } from "../../model/match";
import { Felt } from "../Felt";
import { GradeControls } from "./GradeControls";

export function WholePicture({ open, choose }: { open: boolean; choose: () => void }) {
  const { shot, document, edit } = useWork();
  const grade = document.grade ?? null;
  const setEdit = (g: Grade | null) => ({ kind: "set_grade", grade: g }) as Edit;
  const set = (g: Grade | null) => void edit(setEdit(g));
  return (
    <div className={`match-row ${open ? "on" : ""}`} data-testid="match-whole" data-taken={!!grade}>
      <div className="row">
        <button className="plain match-name" aria-expanded={open} onClick={choose}>
          <b>Grade of the whole picture</b>
        </button>
        <Switch
          size="small"
          checked={!!grade}
          aria-label="Grade of the whole picture is on"
          onChange={(on) => {
            set(on ? newGrade() : null);
            if (on && !open) choose();
          }}
        />
      </div>
      {open && grade && (
        <div className="rows">
          {strengthOf(grade) !== null && (
            <Felt
              label="Strength"
              name="strength of the whole picture"
              value={strengthOf(grade) ?? 1}
              min={0}
              max={2}
              step={0.01}
              edit={(strength) => setEdit({ ...grade, strength })}
            />
          )}
          <GradeControls of="the whole picture" grade={grade} file={(ending) => urls.wholeGrade(shot.id, ending)} set={set} setEdit={setEdit} />
        </div>
      )}
    </div>
  );
}
