import { chakra } from "@chakra-ui/react";
import { Button } from "./Button";
import { useNotices } from "./notices";

/** Notices at the foot of the window, read aloud as they come. */
export function NoticeList() {
  const { notices, dismiss } = useNotices();
  return (
    <chakra.div
      role="alert"
      position="fixed"
      left="50%"
      bottom="18px"
      transform="translateX(-50%)"
      zIndex={60}
      display="grid"
      gap="8px"
      width="min(620px, 90vw)"
    >
      {notices.map((notice) => (
        <chakra.div
          key={notice.id}
          display="flex"
          gap="12px"
          alignItems="flex-start"
          padding="12px 14px"
          background="marigold.note"
          border="1px solid {colors.marigold}"
          borderRadius="card"
          boxShadow="0 6px 18px rgba(30,42,46,.2)"
        >
          <chakra.div flex="1">
            <b>{notice.message}</b> {notice.whatToDo}
          </chakra.div>
          <Button type="button" onClick={() => dismiss(notice.id)}>
            Noted
          </Button>
        </chakra.div>
      ))}
    </chakra.div>
  );
}
