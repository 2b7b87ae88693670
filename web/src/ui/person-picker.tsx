import { lazy, Suspense, useState } from "react";
import { Button } from "./basics";
import type { PickPerson } from "./person-list";

const list = () => import("./person-list");
const PersonList = lazy(list);

/** Choose a person by a few letters of name, number or team. What the list takes is fetched when it is wanted. */
export function PersonPicker(wish: PickPerson) {
  const [wanted, setWanted] = useState(false);
  const button = (
    <Button look={wish.look ?? "plain"} aria-haspopup="dialog" onPointerEnter={list} onClick={() => setWanted(true)}>
      {wish.label}
    </Button>
  );
  if (!wanted) return button;
  return (
    <Suspense fallback={button}>
      <PersonList {...wish} />
    </Suspense>
  );
}
