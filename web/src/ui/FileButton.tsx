import { chakra } from "@chakra-ui/react";
import { type ComponentProps, useRef } from "react";
import { Button } from "./Button";

const Input = chakra("input");

interface Props extends Omit<ComponentProps<typeof Button>, "type" | "onClick"> {
  /** What the files are, for those who cannot see the button's place. */
  label: string;
  accept?: string;
  multiple?: boolean;
  onFiles: (files: readonly File[]) => void;
}

/** A button that asks for files; the same file may be chosen again. */
export function FileButton({ label, accept, multiple = false, onFiles, ...button }: Props) {
  const chooser = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button {...button} type="button" onClick={() => chooser.current?.click()} />
      <Input
        ref={chooser}
        type="file"
        aria-label={label}
        accept={accept}
        multiple={multiple}
        display="none"
        onChange={(event) => {
          const files = [...(event.target.files ?? [])];
          event.target.value = "";
          if (files.length) onFiles(files);
        }}
      />
    </>
  );
}
