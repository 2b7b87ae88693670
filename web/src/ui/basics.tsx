import type { ComponentProps, ReactNode } from "react";

const BUTTON = {
  plain: "border-line bg-panel text-ink hover:border-soft",
  primary: "border-act bg-act text-on-act hover:brightness-110",
  quiet: "border-transparent bg-transparent text-act hover:bg-act-soft",
  danger: "border-above bg-panel text-above hover:bg-above hover:text-panel",
};

const SIZE = { normal: "min-h-[34px] px-3.5", small: "min-h-[26px] px-2 text-[12.5px]" };

export function Button({
  look = "plain",
  size = "normal",
  className = "",
  main,
  ...rest
}: ComponentProps<"button"> & {
  look?: keyof typeof BUTTON;
  size?: keyof typeof SIZE;
  /** The main step of its screen, which Ctrl Enter takes. */
  main?: boolean;
}) {
  return (
    <button
      type="button"
      data-main={main || undefined}
      className={`inline-flex items-center gap-2 whitespace-nowrap rounded-md border font-medium disabled:opacity-45 ${SIZE[size]} ${BUTTON[look]} ${className}`}
      {...rest}
    />
  );
}

const TOKEN = { big: "size-11 text-[14px]", small: "size-[30px] text-[11px]" };

/** The round brass token of a recorder; greyed when out of reach. */
export function Token({
  name,
  size = "big",
  away = false,
}: {
  name: string;
  size?: keyof typeof TOKEN;
  away?: boolean;
}) {
  const colour = away ? "bg-hair text-none" : "bg-brass-soft text-brass-ink";
  return (
    <span className={`grid flex-none place-items-center rounded-full font-bold font-narrow ${TOKEN[size]} ${colour}`}>
      {name || "?"}
    </span>
  );
}

export type VerdictWord = "within" | "action level reached" | "above limit" | "not assessable" | "";

const TEXT = {
  within: "text-within",
  "action level reached": "text-action",
  "above limit": "text-above",
  "not assessable": "text-none",
  "": "text-soft",
};

function Shape({ verdict }: { verdict: VerdictWord }) {
  const size = "shape inline-block size-[12px] flex-none";
  if (verdict === "within") return <i className={`${size} rounded-full border-2 border-within`} />;
  if (verdict === "action level reached")
    return (
      <i
        className={`${size} rounded-full border-2 border-action`}
        style={{ background: "linear-gradient(90deg, var(--action) 50%, transparent 50%)" }}
      />
    );
  if (verdict === "above limit") return <i className={`${size} bg-above`} />;
  return <i className={`${size} hatched border border-[var(--none)]`} />;
}

/** Shape, colour and words, never colour alone. Without visible words the verdict is still read out. */
export function Verdict({ verdict, words, bare = false }: { verdict: VerdictWord; words?: string; bare?: boolean }) {
  return (
    <span className={`inline-flex items-center gap-1.5 font-medium font-narrow text-[13px] ${TEXT[verdict]}`}>
      <Shape verdict={verdict} />
      <span className={bare ? "sr-only" : ""}>{words ?? verdict}</span>
    </span>
  );
}

export function Tag({ children }: { children: ReactNode }) {
  return (
    <span className="inline-block max-w-44 truncate rounded bg-[color-mix(in_srgb,var(--hair)_55%,var(--panel))] px-2 py-px align-bottom font-medium font-narrow text-[12.5px] text-soft">
      {children}
    </span>
  );
}

/** What to do first, in one sentence with at most one button. */
export function Empty({
  title,
  children,
  action,
  ...place
}: { title: string; children?: ReactNode; action?: ReactNode } & Place) {
  return (
    <InPlaceOf {...place}>
      <div className="m-5 grid place-items-start gap-3 rounded-lg border border-line border-dashed p-6">
        <h2>{title}</h2>
        {children && <p className="max-w-[60ch] text-soft">{children}</p>}
        {action}
      </div>
    </InPlaceOf>
  );
}

export function Loading({ what, ...place }: { what: string } & Place) {
  return (
    <InPlaceOf {...place}>
      <p className="p-5 text-soft" role="status">
        Reading {what} …
      </p>
    </InPlaceOf>
  );
}

interface Place {
  /** Stands in place of this whole view. */
  view?: string;
  /** Stands in a view, where its heading would. */
  heading?: string;
}

/** A view that is not there yet, or cannot be, has its heading and its place all the same. */
function InPlaceOf({ view, heading, children }: Place & { children: ReactNode }) {
  const title = view ?? heading;
  const whole = (
    <>
      {title && <h1 className="sr-only">{title}</h1>}
      {children}
    </>
  );
  return view ? <main>{whole}</main> : whole;
}

/** What happened, to what, what is safe, what to do now. */
export function Trouble({ error, again, ...place }: { error: Error; again?: () => void } & Place) {
  return (
    <InPlaceOf {...place}>
      <div role="alert" className="m-5 grid gap-3 rounded-r-md border-above border-l-4 bg-panel px-4 py-3">
        <p>{error.message}</p>
        {again && (
          <div>
            <Button onClick={again}>Try again</Button>
          </div>
        )}
      </div>
    </InPlaceOf>
  );
}

export function Warn({ children }: { children: ReactNode }) {
  return <div className="rounded-r-md border-action border-l-4 bg-warn px-3 py-2 text-[13.5px]">{children}</div>;
}

/** Why an entry is refused: right below its field, over what follows, so that no button moves away under a click. */
export function Refused({ why, right = false }: { why: string | null | undefined; right?: boolean }) {
  if (!why) return null;
  return (
    <span className="relative block h-0 w-full">
      <span
        role="alert"
        className={`absolute top-0.5 z-20 w-max max-w-full rounded border border-above bg-panel px-1.5 py-0.5 text-left text-[12.5px] text-above ${right ? "right-0" : "left-0"}`}
      >
        {why}
      </span>
    </span>
  );
}

export const inputLook =
  "w-full min-h-[34px] rounded-md border border-line bg-panel px-2.5 py-1 text-ink placeholder:text-soft focus-visible:outline-offset-0";

export function Field({ label, children, hint }: { label: string; children: ReactNode; hint?: string }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
    <label className="grid gap-1 text-[13px] text-soft">
      {label}
      {children}
      {hint && <span className="text-[12.5px]">{hint}</span>}
    </label>
  );
}

export function Progress({ share, label }: { share: number; label: string }) {
  const width = Math.max(0, Math.min(1, share)) * 100;
  return (
    <span className="inline-flex items-center gap-2">
      <span
        role="progressbar"
        aria-label={label}
        aria-valuenow={Math.round(width)}
        aria-valuemin={0}
        aria-valuemax={100}
        className="inline-block h-1.5 w-28 overflow-hidden rounded bg-line"
      >
        <i className="block h-full bg-act" style={{ width: `${width}%` }} />
      </span>
      <span className="text-soft">{Math.round(width)} %</span>
    </span>
  );
}
