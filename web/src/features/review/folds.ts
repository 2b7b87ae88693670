import { wantsRoom } from "@/kinds/kinds";
import type { Order } from "./Waiting";

const KEPT = "list of what waits, folded";

/** By kind: whether the list of what waits is folded to a rail; kinds that nobody decided are as their sheet wants it. */
export type Folds = Record<string, boolean>;

export function readFolds(): Folds {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Folds;
  } catch {
    return {};
  }
}

export const isFolded = (kind: string, folds: Folds) => folds[kind] ?? wantsRoom(kind);

export function fold(kind: string, folds: Folds): Folds {
  const next = { ...folds, [kind]: !isFolded(kind, folds) };
  localStorage.setItem(KEPT, JSON.stringify(next));
  return next;
}

const ORDER = "order of what waits";

export const readOrder = (): Order => (localStorage.getItem(ORDER) === "urgent" ? "urgent" : "newest");
export const keepOrder = (order: Order) => localStorage.setItem(ORDER, order);
