import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { today } from "@/ui/days";
import { Dialog } from "@/ui/dialog";

const noon = (date: string) => new Date(`${date}T12:00:00`).toISOString();

/** A check that was made elsewhere: what, when, until when it holds, its certificate. */
export function KeepCheck({ recorder, token, onKept }: { recorder: number; token: string; onKept: () => void }) {
  const [open, setOpen] = useState(false);
  const [what, setWhat] = useState("laboratory check");
  const [sensor, setSensor] = useState("");
  const [at, setAt] = useState(today());
  const [due, setDue] = useState("");
  const [passed, setPassed] = useState(true);
  const [certificate, setCertificate] = useState("");
  const [note, setNote] = useState("");
  const keep = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/checks", {
          params: { path: { recorder_id: recorder } },
          body: {
            what,
            sensor,
            at: at === today() ? new Date().toISOString() : noon(at),
            due_at: due ? noon(due) : null,
            passed,
            certificate,
            serial: "",
            unit: "",
            note,
          },
        }),
      ),
    onSuccess: () => {
      setOpen(false);
      onKept();
    },
  });
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)}>
        Keep a check made elsewhere
      </Button>
      <Dialog
        title={`A check of ${token} made elsewhere`}
        open={open}
        onClose={() => {
          setOpen(false);
          keep.reset();
        }}
      >
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            keep.mutate();
          }}
        >
          <div className="grid grid-cols-2 gap-3">
            <Field label="What was checked">
              <input
                className={inputLook}
                value={what}
                maxLength={40}
                required
                onChange={(e) => setWhat(e.target.value)}
              />
            </Field>
            <Field label="Sensor, where it is one of several">
              <input className={inputLook} value={sensor} maxLength={40} onChange={(e) => setSensor(e.target.value)} />
            </Field>
            <Field label="On">
              <DateField value={at} latest={today()} required onChange={setAt} />
            </Field>
            <Field label="Next one due">
              <DateField value={due} earliest={at} onChange={setDue} />
            </Field>
          </div>
          <Field label="Certificate">
            <input
              className={inputLook}
              value={certificate}
              maxLength={120}
              onChange={(e) => setCertificate(e.target.value)}
            />
          </Field>
          <Field label="Note">
            <input className={inputLook} value={note} maxLength={400} onChange={(e) => setNote(e.target.value)} />
          </Field>
          <label className="flex min-h-6 items-center gap-2">
            <input type="checkbox" checked={passed} onChange={(e) => setPassed(e.target.checked)} />
            It passed
          </label>
          {keep.error && (
            <p role="alert" className="text-above">
              {keep.error.message}
            </p>
          )}
          <div>
            <Button look="primary" type="submit" disabled={!what.trim() || !at || keep.isPending}>
              Keep it
            </Button>
          </div>
        </form>
      </Dialog>
    </>
  );
}
