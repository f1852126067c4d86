import createClient from "openapi-fetch";
import type { GeometryFile, Job, Project } from "../model/types";
import { patient } from "./patient";
import type { paths } from "./schema.gen";

/** An error of the server: RFC 9457, with where it is and what helps. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly rows: number[] = [],
  ) {
    super(detail);
  }
}

/** The code by which an error of the server is known; none of any other. */
export const codeOf = (error: Error | null): string => (error instanceof Problem ? error.code : "");

const client = createClient<paths>({ baseUrl: "/", fetch: patient });
export const http = client;

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

const problemOf = (error: unknown, response: Response): Problem => {
  const body = (error ?? {}) as { code?: string; detail?: string; rows?: number[] };
  const words =
    body.detail ?? `The server answered with ${response.status}; look whether it still runs.`;
  return new Problem(response.status, body.code ?? "", words, body.rows ?? []);
};

/** Gives the data of an answer, or throws its problem. */
export async function taken<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer;
  if (!response.ok) throw problemOf(error, response);
  return data as T;
}

/** Fetches a binary answer; a body is sent as JSON. */
export async function binary(
  url: string,
  body?: unknown,
  signal?: AbortSignal,
): Promise<ArrayBuffer> {
  const response = await patient(url, {
    method: body === undefined ? "GET" : "POST",
    headers: body === undefined ? {} : { "Content-Type": "application/json" },
    body: body === undefined ? undefined : JSON.stringify(body),
    signal,
  });
  if (!response.ok) throw problemOf(await response.json().catch(() => null), response);
  return response.arrayBuffer();
}

/** Fetches a file, and hands it over as a download under a name. */
export async function download(url: string, name: string): Promise<void> {
  const found = URL.createObjectURL(new Blob([await binary(url)]));
  const link = document.createElement("a");
  link.href = found;
  link.download = name;
  link.click();
  URL.revokeObjectURL(found);
}

/** Stores a point file; throws the problem that names its bad rows. */
export async function sendPoints(project: number, file: File): Promise<GeometryFile> {
  return sent(`/api/projects/${project}/files?name=${encodeURIComponent(file.name)}`, file);
}

/** Has a CAD, STL, OBJ or DXF file read by a job, which stores it once it has been read. */
export async function sendGeometry(project: number, file: File): Promise<Job> {
  return sent(`/api/projects/${project}/geometry?name=${encodeURIComponent(file.name)}`, file);
}

/** Makes a project of a recipe, or of a ZIP file of one with its files, or all of a shelf. */
export async function sendRecipes(file: File): Promise<Project[]> {
  const made = await sent<{ projects: Project[] }>(
    `/api/projects/uploads?name=${encodeURIComponent(file.name)}`,
    file,
  );
  return made.projects;
}

async function sent<T>(url: string, file: File): Promise<T> {
  const response = await patient(url, {
    method: "POST",
    headers: { "Content-Type": "application/octet-stream" },
    body: file,
  });
  if (!response.ok) throw problemOf(await response.json().catch(() => null), response);
  return response.json();
}
