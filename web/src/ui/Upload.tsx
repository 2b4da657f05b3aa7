/** Bring files in by dropping or choosing them: sent with progress, read by a job, refused with its sentence. */
import { App, Button, Progress, Upload as AntUpload } from "antd";
import { type ReactNode, useRef, useState } from "react";
import { api, data, type JobView, type MediaView } from "../api/client";
import { upload } from "../api/uploads";

const ACCEPT = ".mp4,.mov,.m4v,.mkv,.png,.jpg,.jpeg,.tif,.tiff,.exr,.svg,.zip";

type Stage = { text: string; done: number; total: number } | null;

async function waitUntilUsable(hash: string, job: string | null, tell: (s: Stage) => void): Promise<MediaView> {
  for (;;) {
    if (job) {
      const now = data<JobView>(await api.GET("/api/jobs/{job_id}", { params: { path: { job_id: job } } }));
      if (now.state === "failed" || now.state === "stopped") throw new Error(now.message);
      tell({ text: "Reading every frame", done: now.done, total: now.total });
    }
    const media = await api.GET("/api/media/{media_hash}", { params: { path: { media_hash: hash } } }).then(
      (a) => data<MediaView>(a),
      () => null,
    );
    // Usable as soon as facts and the first proxies are there; the rest arrives while people work.
    if (media?.facts && (media.state === "ready" || media.proxies > 0)) return media;
    await new Promise((r) => setTimeout(r, 250));
  }
}

type Props = { title: string; hint?: string; accept?: string; onMedia: (media: MediaView) => void; children?: ReactNode };

/** With `children`, these are what is dropped on; else a line of text, and folders may be chosen. */
export function Upload({ title, hint, accept = ACCEPT, onMedia, children }: Props) {
  const { notification } = App.useApp();
  const [stage, setStage] = useState<Stage>(null);
  const batch = useRef<File[] | null>(null);

  const take = async (files: File[]) => {
    try {
      setStage({ text: "Sending", done: 0, total: 1 });
      const sent = await upload(files, (done, total) => setStage({ text: "Sending", done, total }));
      onMedia(await waitUntilUsable(sent.media.hash, sent.job, setStage));
    } catch (error) {
      notification.error({ message: "Not taken in", description: (error as Error).message, duration: 12 });
    } finally {
      setStage(null);
      batch.current = null;
    }
  };
  const before = (file: File, all: File[]) => {
    // Called once a file; the whole batch is one film, one still, or one numbered sequence.
    if (batch.current === null && file === all[0]) {
      batch.current = all;
      void take(all.filter((f) => !f.name.startsWith(".")));
    }
    return false;
  };
  const shared = { accept, showUploadList: false, disabled: stage !== null, beforeUpload: before };
  return (
    <div className="upload">
      <AntUpload.Dragger multiple {...shared}>
        {stage ? (
          <div style={{ padding: "2px 16px" }}>
            <div>{stage.text}</div>
            <Progress percent={stage.total ? Math.round((100 * stage.done) / stage.total) : 0} size="small" />
          </div>
        ) : (
          (children ?? (
            <div style={{ padding: "2px 10px" }}>
              <div>{title}</div>
              {hint && <div className="quiet small">{hint}</div>}
            </div>
          ))
        )}
      </AntUpload.Dragger>
      {!children && (
        <AntUpload directory {...shared}>
          <Button type="link" size="small" disabled={stage !== null}>
            or choose a folder of stills
          </Button>
        </AntUpload>
      )}
    </div>
  );
}
