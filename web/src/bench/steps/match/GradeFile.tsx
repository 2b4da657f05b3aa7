/** A grade from a colour decision list, and to one or to a table. */
import { App, Button, Upload } from "antd";
import { api, data } from "../../../api/client";

export function GradeFile({ file, read }: { file: (ending: "cc" | "cube") => string; read: (found: object) => void }) {
  const { notification } = App.useApp();
  const ask = async (chosen: File) => {
    try {
      read(data<object>(await api.POST("/api/grades/read", { body: { text: await chosen.text() } })));
    } catch (error) {
      notification.warning({ message: "Not read", description: (error as Error).message });
    }
  };
  const take = (chosen: File) => {
    void ask(chosen);
    return false;
  };
  return (
    <div className="row">
      <Upload accept=".cc,.ccc,.cdl" showUploadList={false} beforeUpload={take}>
        <Button size="small" data-testid="read-cdl">
          Read a CDL
        </Button>
      </Upload>
      <a href={file("cc")} download data-testid="write-cdl">
        Save as .cc
      </a>
      <a href={file("cube")} download data-testid="write-cube">
        Save as .cube
      </a>
    </div>
  );
}
