/** Uploads with progress; the browser's fetch cannot tell how much was sent. */
import { toApiError } from "./client";
import type { Uploaded } from "./types";

type Progress = (sent: number, total: number) => void;

function send(url: string, body: XMLHttpRequestBodyInit, progress: Progress): Promise<Uploaded> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", url);
    request.responseType = "json";
    request.upload.onprogress = (e) => progress(e.loaded, e.total);
    request.onload = () => {
      if (request.status < 300) resolve(request.response as Uploaded);
      else reject(toApiError(request.response));
    };
    request.onerror = () => reject(toApiError(null));
    request.send(body);
  });
}

/** Send one film, still or zip; or several numbered stills as one sequence. */
export function upload(files: File[], progress: Progress): Promise<Uploaded> {
  const first = files[0];
  if (first && files.length === 1) {
    return send(`/api/uploads/file?name=${encodeURIComponent(first.name)}`, first, progress);
  }
  const form = new FormData();
  for (const file of files) form.append("files", file, file.name);
  const folder = first?.webkitRelativePath.split("/")[0] || (first?.name.replace(/[._-]?\d+\.[a-z]+$/i, "") ?? "stills");
  return send(`/api/uploads/stills?name=${encodeURIComponent(folder)}`, form, progress);
}
