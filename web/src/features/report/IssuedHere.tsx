import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";

type Form = Schemas["MailWish"]["forms"] extends (infer F)[] | undefined ? F : never;

const FORMS: { form: Form; name: string }[] = [
  { form: "pdf", name: "PDF" },
  { form: "docx", name: "Word" },
  { form: "html", name: "Web page" },
];
const WHERE = "kumpel.mail.last";
const size = (bytes: number) => (bytes < 1e6 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`);

/** To whom, in which forms; asked once, then it is in the outbox. */
function MailDialog({ report, onClose }: { report: Schemas["Report"]; onClose: () => void }) {
  const queries = useQueryClient();
  const { say } = useNotices();
  const [recipient, setRecipient] = useState(() => localStorage.getItem(WHERE) ?? "");
  const [forms, setForms] = useState<Form[]>(["pdf"]);
  const [note, setNote] = useState("");
  const post = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/reports/{report_id}/mails", {
          params: { path: { report_id: report.id } },
          body: { recipient: recipient.trim(), forms, note },
        }),
      ),
    onSuccess: (mail) => {
      localStorage.setItem(WHERE, mail.recipient);
      queries.invalidateQueries({ queryKey: ["mails", report.id] });
      say(`${report.number} is on its way to ${mail.recipient}, ${size(mail.size)}.`);
      onClose();
    },
  });
  return (
    <Dialog title={`Send ${report.number} by e-mail`} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (recipient.trim() && forms.length > 0) post.mutate();
        }}
      >
        <label className="grid gap-1 text-[13px] text-soft">
          To
          <input
            className={inputLook}
            type="email"
            placeholder="name@tarnfels.example"
            value={recipient}
            maxLength={254}
            required
            onChange={(e) => setRecipient(e.target.value)}
          />
        </label>
        <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
          <legend className="mb-1 text-[13px] text-soft">Attached as</legend>
          {FORMS.map(({ form, name }) => (
            <label key={form} className="flex min-h-6 items-center gap-2">
              <input
                type="checkbox"
                className="size-4 accent-(--act)"
                checked={forms.includes(form)}
                onChange={(e) => setForms(e.target.checked ? [...forms, form] : forms.filter((f) => f !== form))}
              />
              {name}
            </label>
          ))}
        </fieldset>
        <label className="grid gap-1 text-[13px] text-soft">
          A few words, if any
          <textarea
            className={inputLook}
            rows={2}
            value={note}
            maxLength={2000}
            onChange={(e) => setNote(e.target.value)}
          />
        </label>
        <p className="text-[13px] text-soft">
          {report.named
            ? "This report has the person’s name in it. The subject and the names of the files have not."
            : "This report is without the name."}
        </p>
        {post.isError && (
          <p role="alert" className="text-above">
            {post.error.message}
          </p>
        )}
        <div>
          <Button look="primary" type="submit" disabled={!recipient.trim() || forms.length === 0 || post.isPending}>
            Send it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const STATE = { waiting: "on its way", sent: "taken by the mail server", refused: "not sent" };

/** What went by e-mail of a report, and what did not. */
function Mails({ reportId }: { reportId: number }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const mails = useQuery({
    queryKey: ["mails", reportId],
    queryFn: () => ask(api.GET("/api/reports/{report_id}/mails", { params: { path: { report_id: reportId } } })),
  });
  const again = useMutation({
    mutationFn: (mailId: number) =>
      ask(api.POST("/api/mails/{mail_id}/again", { params: { path: { mail_id: mailId } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["mails", reportId] }),
    onError: fail,
  });
  return (
    <ul className="text-[12.5px]">
      {mails.data?.map((m) => (
        <li key={m.id} className="pt-1">
          <span className="block truncate" title={m.recipient}>
            {m.recipient}
          </span>
          <span className={m.state === "refused" ? "text-above" : "text-soft"}>
            {STATE[m.state]}, {moment(m.sent_at ?? m.asked_at)}, {size(m.size)}
            {m.problem && m.state !== "sent" && `. ${m.problem}`}
            {m.state === "waiting" &&
              m.tries > 0 &&
              ` It is tried again at ${moment(m.next_at).replace("Today ", "")}.`}
          </span>{" "}
          {m.state !== "sent" && m.tries > 0 && (
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              disabled={again.isPending}
              onClick={() => again.mutate(m.id)}
            >
              try now
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}

/** The reports that were issued of a session: each in every form, and where it was sent. */
export function IssuedHere({ sessionId, kind }: { sessionId: number; kind: string }) {
  const [mailing, setMailing] = useState<Schemas["Report"] | null>(null);
  const issued = useQuery({
    queryKey: ["reports", "of", sessionId],
    queryFn: () => ask(api.GET("/api/reports", { params: { query: { session_id: sessionId, limit: 20 } } })),
  });
  const isPatient = useKindWords().data?.find((k) => k.key === kind)?.patient ?? false;
  const rows = issued.data?.reports ?? [];
  if (rows.length === 0) return null;
  return (
    <section aria-label="Issued of this session" className="mt-4 border-hair border-t pt-3">
      <h2 className="mb-1">Issued</h2>
      {rows.map((report) => (
        <div key={report.id} className="border-hair border-t py-1.5 text-[13px] first:border-t-0">
          <span className="flex justify-between gap-2">
            <b className="font-medium">{report.number}</b>
            <span className="text-soft">{report.named ? "" : "without the name"}</span>
          </span>
          <span className="flex flex-wrap items-center gap-x-3">
            {FORMS.map(({ form, name }) => (
              <a
                key={form}
                className="inline-flex min-h-6 items-center text-act hover:underline"
                href={`/api/reports/${report.id}/file?form=${form}`}
                download
                aria-label={`${report.number} as ${name}`}
              >
                {name}
              </a>
            ))}
            {isPatient && (
              <a
                className="inline-flex min-h-6 items-center text-act hover:underline"
                href={`/api/reports/${report.id}/health-record`}
                download
                aria-label={`${report.number} for a health record, FHIR R4`}
              >
                Health record
              </a>
            )}
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              aria-label={`${report.number} by e-mail`}
              onClick={() => setMailing(report)}
            >
              E-mail …
            </button>
          </span>
          <Mails reportId={report.id} />
        </div>
      ))}
      {mailing && <MailDialog report={mailing} onClose={() => setMailing(null)} />}
    </section>
  );
}
