import { chakra } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Change } from "../api/client";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { tell } from "../ui/notices";

/** The shop's own fonts for a text element: choose one, or add a file. */
export function FontChooser({ owner, onChanges }: { owner: string; onChanges: (changes: Change[]) => void }) {
  const [open, setOpen] = useState(false);
  const client = useQueryClient();
  const fonts = useQuery({ queryKey: ["fonts"], queryFn: api.fonts, enabled: open });
  const use = (sha256: string) => {
    setOpen(false);
    onChanges([
      { path: `${owner}/content/own_font`, value: sha256, operation: "set" },
      { path: `${owner}/content/font`, value: "the shop’s own", operation: "set" },
    ]);
  };
  const add = useMutation({
    mutationFn: api.addFont,
    onSuccess: (font) => {
      void client.invalidateQueries({ queryKey: ["fonts"] });
      use(font.sha256);
    },
    onError: tell,
  });
  return (
    <>
      <Button type="button" look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
        the shop’s fonts
      </Button>
      {open && (
        <chakra.span display="flex" flexWrap="wrap" gap="5px" marginY="5px" marginLeft="4px">
          {fonts.data?.map((font) => (
            <Button key={font.sha256} type="button" onClick={() => use(font.sha256)}>
              {font.name}
            </Button>
          ))}
          <FileButton
            label="Font file"
            accept=".ttf,.otf"
            disabled={add.isPending}
            onFiles={([file]) => file && add.mutate(file)}
          >
            {add.isPending ? "Reading…" : "Add a font file…"}
          </FileButton>
        </chakra.span>
      )}
    </>
  );
}
