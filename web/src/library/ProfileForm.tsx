import { chakra } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { api, type Fields } from "../api/client";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { tell } from "../ui/notices";

/** The colour profile that a stock is printed for: a file of the shop's own, or the colours of a screen. */
export function ProfileForm({ stock, onChange }: { stock: Fields; onChange: (to: Fields) => void }) {
  const add = useMutation({
    mutationFn: api.addProfile,
    onSuccess: (found) => onChange({ profile: found.sha256, profile_name: found.name }),
    onError: tell,
  });
  return (
    <chakra.section aria-label="Colour profile" marginTop="16px">
      <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="19px">
        Colours it is printed for
      </chakra.h3>
      <chakra.p marginTop="2px">
        {stock.profile ? (
          <>
            The profile “{String(stock.profile_name)}”, <b>{String(stock.rendering)}</b>.
          </>
        ) : (
          "Those of a screen (sRGB)."
        )}
      </chakra.p>
      <chakra.div display="flex" gap="8px" marginTop="6px">
        <FileButton
          label="Colour profile file"
          accept=".icc,.icm"
          disabled={add.isPending}
          onFiles={([file]) => file && add.mutate(file)}
        >
          {add.isPending ? "Reading…" : "Choose a colour profile…"}
        </FileButton>
        {Boolean(stock.profile) && (
          <Button type="button" look="quiet" onClick={() => onChange({ profile: "", profile_name: "" })}>
            print for a screen’s colours again
          </Button>
        )}
      </chakra.div>
    </chakra.section>
  );
}
