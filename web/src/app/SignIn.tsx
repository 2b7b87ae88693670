import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { type FormEvent, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { useFocusReturn } from "@/ui/dialog";
import { useTitle } from "@/ui/title";
import mark from "./mark.svg";

/** Signing in; on the first visit, making the first administrator; over the page when a sign-in has run out. */
export function SignIn({ first, over }: { first: boolean; over?: Schemas["Me"] }) {
  useTitle(over ? null : "Sign in");
  const [name, setName] = useState("");
  const [login, setLogin] = useState(over?.login ?? "");
  const [password, setPassword] = useState("");
  const { onOpenAutoFocus, onCloseAutoFocus } = useFocusReturn();
  const wanted = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const enter = useMutation({
    mutationFn: () =>
      first
        ? ask(api.POST("/api/first-administrator", { body: { login, password, name } }))
        : ask(api.POST("/api/sign-in", { body: { login, password } })),
    onSuccess: () => queries.invalidateQueries(),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    enter.mutate();
  };
  const form = (
    <form onSubmit={submit} className="grid w-full max-w-[360px] gap-3.5 rounded-lg bg-panel p-6 text-ink">
      <div className="flex items-center gap-2.5">
        <img src={mark} alt="" width={30} height={30} />
        {over ? (
          <Dialog.Title asChild>
            <h1>Sign in again</h1>
          </Dialog.Title>
        ) : (
          <h1>{first ? "Welcome to Kumpel" : "Kumpel"}</h1>
        )}
      </div>
      {over && (
        <p className="text-soft">Your sign-in has run out. The page below stays as it is, with what you typed.</p>
      )}
      {first && <p className="text-soft">Nobody is here yet. Make the first account; it administers the others.</p>}
      {first && (
        <Field label="Your name, as it is printed under a report">
          <input className={inputLook} value={name} onChange={(e) => setName(e.target.value)} required />
        </Field>
      )}
      <Field label="Sign-in name">
        <input
          className={inputLook}
          value={login}
          autoComplete="username"
          onChange={(e) => setLogin(e.target.value)}
          required
        />
      </Field>
      <Field label="Password" hint={first ? "at least 10 characters" : undefined}>
        <input
          className={inputLook}
          type="password"
          ref={wanted}
          value={password}
          autoComplete={first ? "new-password" : "current-password"}
          onChange={(e) => setPassword(e.target.value)}
          required
        />
      </Field>
      {enter.isError && (
        <p role="alert" className="text-above">
          {enter.error.message}
        </p>
      )}
      <Button look="primary" type="submit" disabled={enter.isPending} className="justify-center">
        {first ? "Make the account and begin" : "Sign in"}
      </Button>
    </form>
  );
  if (!over) return <main className="grid h-screen place-items-center bg-slate p-4">{form}</main>;
  const stay = (event: Event) => event.preventDefault();
  return (
    <Dialog.Root open>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-[70] bg-[#10191dcc]" onMouseDown={(e) => e.preventDefault()} />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={(event) => {
            onOpenAutoFocus();
            event.preventDefault();
            wanted.current?.focus();
          }}
          onCloseAutoFocus={onCloseAutoFocus}
          onEscapeKeyDown={stay}
          onInteractOutside={stay}
          className="fixed top-1/2 left-1/2 z-[71] w-[calc(100vw-32px)] max-w-[360px] -translate-x-1/2 -translate-y-1/2"
        >
          {form}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
