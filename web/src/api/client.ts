import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** A problem as the server tells it (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
  ) {
    super(detail);
  }
}

const client = createClient<paths>({ baseUrl: "" });

/** Told to the window when an answer says that nobody is signed in (any more). */
export const SIGNED_OUT = "kumpel-signed-out";

async function told(response: Response, error: unknown): Promise<Problem> {
  const body = error as { detail?: string; code?: string } | undefined;
  if (body?.detail) return new Problem(response.status, body.code ?? "problem", body.detail);
  return new Problem(response.status, "server", `The server answered ${response.status}. What is stored is safe.`);
}

type Answer<T> = Promise<{ data?: T; error?: unknown; response: Response }>;

/** The data of an answer, or a Problem thrown. */
export async function ask<T>(answer: Answer<T>): Promise<T> {
  let got: Awaited<Answer<T>>;
  try {
    got = await answer;
  } catch {
    throw new Problem(
      0,
      "offline",
      "The server does not answer. What is stored is safe; this page tries again by itself.",
    );
  }
  if (!got.response.ok) {
    const problem = await told(got.response, got.error);
    if (problem.status === 401 && problem.code === "sign-in") window.dispatchEvent(new Event(SIGNED_OUT));
    throw problem;
  }
  return got.data as T;
}

export const api = client;
