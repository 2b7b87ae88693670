import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** The course is not in the register: the lap that is shown becomes one, under a name. */
export function KeepCourse({ session, lap }: { session: number; lap: number }) {
  const queries = useQueryClient();
  const { say } = useNotices();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const keep = useMutation({
    mutationFn: () => ask(api.POST("/api/courses/learnt", { body: { session_id: session, lap, name: name.trim() } })),
    onSuccess: (course) => {
      setOpen(false);
      queries.invalidateQueries({ queryKey: ["courses"] });
      say(`${course.name} is in the register, learnt from lap ${lap}. Loggers can take it along.`);
    },
  });
  return (
    <>
      <p className="px-0.5 text-[12.5px] text-soft">
        Not in the register, learnt from this session.{" "}
        <button type="button" className="min-h-6 text-act hover:underline" onClick={() => setOpen(true)}>
          Keep it from lap {lap}
        </button>
      </p>
      <Dialog title={`Keep the course of lap ${lap}`} open={open} onClose={() => setOpen(false)}>
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            keep.mutate();
          }}
        >
          <Field label="Name of the course">
            <input
              className={inputLook}
              value={name}
              maxLength={80}
              required
              autoFocus
              onChange={(e) => setName(e.target.value)}
            />
          </Field>
          <p className="text-[13px] text-soft">
            Its start line lies where lap {lap} began, with two lines between; they can be moved in the register.
          </p>
          {keep.error && (
            <p role="alert" className="text-above">
              {keep.error.message}
            </p>
          )}
          <div>
            <Button look="primary" type="submit" disabled={!name.trim() || keep.isPending}>
              Keep the course
            </Button>
          </div>
        </form>
      </Dialog>
    </>
  );
}
