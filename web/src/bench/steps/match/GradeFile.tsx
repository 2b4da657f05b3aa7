/** A grade from and to a colour decision list. */
import { App, Button, Upload } from "antd";
import { api, data, urls } from "../../../api/client";
import { useWork } from "../../context";
import { withPart } from "../../model/match";
import type { Matching } from "./useMatching";

export function GradeFile({ matching }: { matching: Matching }) {
  const { shot } = useWork();
  const { notification } = App.useApp();
  const { match, set } = matching;
  const read = async (file: File) => {
    try {
      const found = data<object>(await api.POST("/api/grades/read", { body: { text: await file.text() } }));
      set(withPart(match, "grade", { ...match.grade, ...found }));
    } catch (error) {
      notification.warning({ message: "Not read", description: (error as Error).message });
    }
  };
  const take = (file: File) => {
    void read(file);
    return false;
  };
  return (
    <div className="row">
      <Upload accept=".cc,.ccc,.cdl" showUploadList={false} beforeUpload={take}>
        <Button size="small" data-testid="read-cdl">Read a CDL</Button>
      </Upload>
      <a href={urls.grade(shot.id, match.surface)} download data-testid="write-cdl">Save as .cc</a>
    </div>
  );
}
