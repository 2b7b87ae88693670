import { useMutation, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useNavigate } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { setTheme } from "./theme";

const THEMES = [
  ["", "Day"],
  ["night", "Night room"],
  ["contrast", "High contrast"],
] as const;

/** The menu of whoever is signed in, open as soon as it is there. */
export default function Menu({
  me,
  title,
  look,
  initials,
}: {
  me: Schemas["Me"];
  title: string;
  look: string;
  initials: string;
}) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const leave = useMutation({
    mutationFn: () => ask(api.POST("/api/sign-out")),
    onSuccess: () => {
      queries.clear();
      window.location.assign("/");
    },
  });
  const item = "cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-act-soft";
  return (
    <DropdownMenu.Root defaultOpen>
      <DropdownMenu.Trigger title={title} className={look}>
        {initials}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={8}
          className="z-50 min-w-48 rounded-lg border border-line bg-panel p-1.5 shadow-xl"
        >
          <DropdownMenu.Label className="px-3 py-1.5 text-soft">{me.name}</DropdownMenu.Label>
          {THEMES.map(([key, name]) => (
            <DropdownMenu.Item key={key} className={item} onSelect={() => setTheme(key)}>
              {name}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={item} onSelect={() => navigate("/settings")}>
            Settings
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={() => leave.mutate()}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
