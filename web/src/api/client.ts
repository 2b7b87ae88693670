import createClient from "openapi-fetch";
import { inReadersUnits } from "./readers";
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

/** Buttons that make something: pressed twice, or sent again after a cut, they make it once. */
const MAKES =
  /\/(courses|learnt|hand-overs|swap|return|finish|limit-sets|versions|people|medicines|dose|recorders|checks|setups|vehicles|reports|mails|sign|write|clear|take-in)$/;
const SAME_MS = 2_000;
const asked = new Map<string, { key: string; atMs: number }>();

/** The key of what is asked for: that of the very same wish of a moment ago, else a new one. */
function keyOf(wish: string): string {
  const nowMs = Date.now();
  for (const [other, { atMs }] of asked) if (nowMs - atMs > SAME_MS) asked.delete(other);
  const known = asked.get(wish);
  if (known) return known.key;
  const key = Array.from(crypto.getRandomValues(new Uint32Array(4)), (n) => n.toString(36)).join("-");
  asked.set(wish, { key, atMs: nowMs });
  return key;
}

client.use({
  async onRequest({ request }) {
    const { pathname } = new URL(request.url);
    if (request.method !== "POST" || !MAKES.test(pathname)) return undefined;
    request.headers.set("Idempotency-Key", keyOf(`${pathname} ${await request.clone().text()}`));
    return request;
  },
});

/** Which address an answer is from: one told again from here has none of its own. */
const addresses = new WeakMap<Response, string>();

/** Answers by their address, as long as this page is open and no longer: what has not changed since is told in a line. */
const MOST_KEPT = 60;
const MOST_LETTERS = 400_000;
const kept = new Map<string, { tag: string; text: string }>();

client.use({
  async onRequest({ request }) {
    const known = request.method === "GET" ? kept.get(request.url) : undefined;
    if (!known) return undefined;
    request.headers.set("If-None-Match", known.tag);
    return request;
  },
  async onResponse({ request, response }) {
    addresses.set(response, new URL(request.url).pathname);
    if (response.status === 401 || request.url.endsWith("/api/sign-out")) kept.clear();
    if (request.method !== "GET") return undefined;
    const known = kept.get(request.url);
    if (response.status === 304 && known) {
      const again = new Response(known.text, { status: 200, headers: { "Content-Type": "application/json" } });
      addresses.set(again, new URL(request.url).pathname);
      return again;
    }
    kept.delete(request.url);
    const tag = response.headers.get("ETag");
    if (!response.ok || !tag) return undefined;
    const text = await response.clone().text();
    if (text.length <= MOST_LETTERS) kept.set(request.url, { tag, text });
    const oldest = kept.keys().next();
    if (kept.size > MOST_KEPT && !oldest.done) kept.delete(oldest.value);
    return undefined;
  },
});

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
  return inReadersUnits(addresses.get(got.response) ?? "", got.data as T);
}

export const api = client;
