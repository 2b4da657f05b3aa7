/** A small picture of artwork of any kind. */
import { type Artwork, urls } from "../api/client";
import { hexOf, mediaOf } from "./artwork";

export function ArtworkPicture({ artwork }: { artwork: Artwork }) {
  const media = mediaOf(artwork)[0];
  if (media) return <img className="thumb" src={urls.proxy(media, 0)} alt="" />;
  if (artwork.kind === "colour") return <span className="thumb" style={{ background: hexOf(artwork.rgb) }} />;
  return <span className="thumb quiet">{artwork.kind === "text" ? "Aa" : artwork.kind === "chart" ? "#" : "..."}</span>;
}
