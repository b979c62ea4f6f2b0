import { chakra } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import { api } from "../api/client";
import { tell } from "./notices";

/** A link to something that is made when it is asked for; why it cannot be made is told like any other refusal. */
export function Download({ path, children }: { path: string; children: ReactNode }) {
  const [making, setMaking] = useState(false);
  const save = async () => {
    setMaking(true);
    try {
      const { name, content } = await api.download(path);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(content);
      link.download = name;
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (error) {
      tell(error);
    } finally {
      setMaking(false);
    }
  };
  return (
    <chakra.a
      href={`/api${path}`}
      aria-busy={making}
      onClick={(event) => {
        event.preventDefault();
        if (!making) void save();
      }}
      fontWeight={600}
      textDecoration="underline"
      textUnderlineOffset="3px"
      display="inline-block"
      minHeight="24px"
      cursor={making ? "progress" : "pointer"}
    >
      {children}
      {making && <span role="status"> …</span>}
    </chakra.a>
  );
}
