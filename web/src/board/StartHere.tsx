import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { GroupTitle } from "./GroupTitle";
import { useStartJob } from "./useIncoming";

/** Where a file is dropped, and files of the shop to try with. empty: whether there is nothing else on the board. */
export function StartHere({ empty }: { empty: boolean }) {
  const { start, tryFile, taking } = useStartJob();
  const { data: files } = useQuery({
    queryKey: ["loose-files"],
    queryFn: api.looseFiles,
    staleTime: Number.POSITIVE_INFINITY,
  });
  return (
    <section aria-label="Start a job">
      <GroupTitle>Start a job</GroupTitle>
      <chakra.div display="grid" gridTemplateColumns={{ base: "1fr", lg: "2fr 1fr" }} gap="16px">
        <chakra.div
          minHeight={empty ? "220px" : "130px"}
          padding="20px 24px"
          background="mat.pale"
          border="2px dashed #9AAAA0"
          borderRadius="card"
        >
          <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="20px">
            {taking ? "Looking at the file…" : "Drop what the client sent anywhere on this page"}
          </chakra.h3>
          <p>
            Pictures (PNG, JPEG, JPEG 2000, WebP, BMP, GIF, TIFF, HEIC, AVIF), drawings (SVG, PDF, DXF) or a
            zip of them; or paste a copied picture. Nibble looks at it first and says what it is good for.
          </p>
          <FileButton label="Client's file" multiple marginTop="12px" disabled={taking} onFiles={start}>
            Choose a file
          </FileButton>
        </chakra.div>
        <chakra.div
          padding="20px 24px"
          background="paper.white"
          border="1px solid {colors.hair}"
          borderRadius="card"
        >
          <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="20px">
            Try one of these
          </chakra.h3>
          <chakra.ul listStyleType="none" padding="0">
            {files?.map((file) => (
              <chakra.li key={file.name} marginTop="6px">
                <Button
                  type="button"
                  look="quiet"
                  fontSize="15px"
                  fontWeight={600}
                  color="ink"
                  disabled={taking}
                  onClick={() => tryFile(file.name)}
                >
                  {file.name}
                </Button>{" "}
                <chakra.span color="ink.soft" fontSize="14px">
                  {file.words}
                </chakra.span>
              </chakra.li>
            ))}
          </chakra.ul>
        </chakra.div>
      </chakra.div>
    </section>
  );
}
