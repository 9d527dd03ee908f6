import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../client/api";
import { Button } from "../ui/Button";
import { TextField } from "../ui/Field";
import { Flyout } from "../ui/Flyout";

const COOKIE = "initials";
const YEAR_S = 31_536_000;

const written = () =>
  decodeURIComponent(
    document.cookie
      .split("; ")
      .find((one) => one.startsWith(`${COOKIE}=`))
      ?.slice(COOKIE.length + 1) ?? "",
  );

interface Props {
  dim: boolean;
  large: boolean;
  onDim: (dim: boolean) => void;
  onLarge: (large: boolean) => void;
}

/** How this desk is set, in this browser: who works at it, how bright the page is, how large its text. */
export function Desk({ dim, large, onDim, onLarge }: Props) {
  const queries = useQueryClient();
  const session = useQuery({ queryKey: ["session"], queryFn: api.session });
  const [initials, setInitials] = useState(written);
  const accounts = session.data?.needed ?? false;
  const write = (now: string) => {
    setInitials(now);
    // biome-ignore lint/suspicious/noDocumentCookie: it goes along with every request, downloads too.
    document.cookie = `${COOKIE}=${encodeURIComponent(now.trim())}; path=/; max-age=${YEAR_S}; SameSite=Strict`;
  };
  return (
    <Flyout
      label="Desk"
      trigger={!accounts && initials ? `Desk, ${initials}` : "Desk"}
      triggerClass="min-h-11 max-w-36 truncate px-1 hover:text-ink hover:underline"
      align="end"
      className="w-[340px] text-[0.9375rem]"
      onOpenChange={(open) => !open && void queries.invalidateQueries()}
    >
      {!accounts && (
        <TextField
          label="Your initials"
          hint="They stand in the history of whatever is done in this browser."
          value={initials}
          onChange={(now) => write(now.slice(0, 12))}
        />
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        <Button onClick={() => onDim(!dim)}>{dim ? "Light the page" : "Dim the page"}</Button>
        <Button onClick={() => onLarge(!large)}>{large ? "Normal text" : "Large text"}</Button>
      </div>
    </Flyout>
  );
}
