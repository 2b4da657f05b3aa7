/** A file that a part of a match or a grade is made from: dropped or chosen, named, and taken out again. */
import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { api, data, type MediaView } from "../../../api/client";
import { Upload } from "../../../ui/Upload";
import { Field } from "../parts";

export function useMedia(hash: string | null | undefined): MediaView | undefined {
  return useQuery({
    queryKey: ["media", hash],
    enabled: !!hash,
    queryFn: async () => data<MediaView>(await api.GET("/api/media/{media_hash}", { params: { path: { media_hash: hash ?? "" } } })),
  }).data;
}

type Props = {
  label: string;
  hint: string;
  hash: string | null | undefined;
  accept: string;
  ask: string;
  title: string;
  remove: string;
  take: (m: MediaView) => void;
  clear: () => void;
};

export function FileChoice({ label, hint, hash, accept, ask, title, remove, take, clear }: Props) {
  const media = useMedia(hash);
  return (
    <Field label={label} hint={hint}>
      {hash ? (
        <span className="row">
          <span className="cut">{media?.name ?? ""}</span>
          <Button size="small" aria-label={remove} onClick={clear}>
            Remove
          </Button>
        </span>
      ) : (
        <Upload title={title} accept={accept} onMedia={take}>
          <span className="quiet small" style={{ padding: "0 8px" }}>
            {ask}
          </span>
        </Upload>
      )}
    </Field>
  );
}
