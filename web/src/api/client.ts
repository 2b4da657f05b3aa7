/** Typed access to the API; every refusal becomes an ApiError with its sentence. */
import createClient, { type Middleware } from "openapi-fetch";
import type { paths } from "./schema";
import type { ColourChoice } from "./types";

export type * from "./types";

/** A refusal with a sentence for people. */
export class ApiError extends Error {
  constructor(
    readonly code: string,
    sentence: string,
  ) {
    super(sentence);
  }
}

/** Read a problem document into an ApiError. */
export function toApiError(body: unknown): ApiError {
  const problem = body as { code?: string; title?: string } | null;
  return new ApiError(problem?.code ?? "unreachable", problem?.title ?? "Verdigris does not answer. Is it still running?");
}

const sentences: Middleware = {
  async onResponse({ response }) {
    if (response.ok) return undefined;
    throw toApiError(await response.json().catch(() => null));
  },
  onError() {
    return new ApiError("unreachable", "Verdigris does not answer. Is it still running?");
  },
};

export const api = createClient<paths>({ baseUrl: "/" });
api.use(sentences);

/** The data of an answer; middleware has thrown already when there is none. */
export function data<T>(answer: { data?: unknown }): T {
  return answer.data as T;
}

/** A colour that was set, as part of an address; nothing where the file's counts. */
export function colourQuery(choice: ColourChoice | null | undefined): string {
  return choice ? `?colour=${encodeURIComponent(JSON.stringify(choice))}` : "";
}

export const urls = {
  proxy: (hash: string, frame: number, colour?: ColourChoice | null) => `/api/media/${hash}/proxies/${frame}${colourQuery(colour)}`,
  full: (hash: string, frame: number, colour?: ColourChoice | null) => `/api/media/${hash}/frames/${frame}${colourQuery(colour)}`,
  // A frame that is looked at a second time gets new crops; where it now is tells them from the first ones.
  crops: (take: string, frame: number, homography: readonly number[]) =>
    `/api/takes/${take}/crops/${frame}?at=${homography.map((v) => v.toPrecision(6)).join("_")}`,
  result: (shot: string, revision: number, frame: number, state: string) => `/api/shots/${shot}/revisions/${revision}/results/${frame}?state=${state}`,
  difference: (shot: string, revision: number, frame: number, state: string) => `/api/shots/${shot}/revisions/${revision}/differences/${frame}?state=${state}`,
  scope: (shot: string, revision: number, surface: string, kind: string, frame: number, state: string) =>
    `/api/shots/${shot}/revisions/${revision}/surfaces/${surface}/scopes/${kind}/${frame}?state=${state}`,
  view: (shot: string, revision: number, surface: string, view: string, frame: number, state: string) =>
    `/api/shots/${shot}/revisions/${revision}/surfaces/${surface}/views/${view}/${frame}?state=${state}`,
  draftCoverage: (shot: string, revision: number, surface: string, frame: number) =>
    `/api/shots/${shot}/revisions/${revision}/surfaces/${surface}/drafts/coverage/${frame}`,
  matte: (shot: string, revision: number, matte: string, view: string, frame: number, state: string, part?: number) =>
    `/api/shots/${shot}/revisions/${revision}/mattes/${matte}/${view}/${frame}?state=${state}${part === undefined ? "" : `&part=${part}&width=96`}`,
  pairs: (shot: string, revision: number, surface: string, frame: number, state: string) =>
    `/api/shots/${shot}/revisions/${revision}/surfaces/${surface}/pairs/${frame}?state=${state}`,
  matteEdges: (shot: string, revision: number, matte: string, view: string, frame: number, state: string) =>
    `/api/shots/${shot}/revisions/${revision}/mattes/${matte}/edges/${view}/${frame}?state=${state}`,
  straight: (shot: string, revision: number, frame: number) => `/api/shots/${shot}/revisions/${revision}/straight/${frame}`,
  toDrawOver: (shot: string, frame: number, form: "png" | "tif" | "exr") => `/api/shots/${shot}/drawing/${frame}/plate.${form}`,
  grade: (shot: string, surface: string, ending: "cc" | "cube") => `/api/shots/${shot}/surfaces/${surface}/grade.${ending}`,
  wholeGrade: (shot: string, ending: "cc" | "cube") => `/api/shots/${shot}/grade.${ending}`,
  guides: (shot: string, frame: number) => `/api/shots/${shot}/drawing/${frame}/guides.png`,
  deliveryFile: (id: string) => `/api/deliveries/${id}/file`,
  track: (shot: string, surface: string, form: "json" | "csv") => `/api/shots/${shot}/tracks/${surface}.${form}`,
};
