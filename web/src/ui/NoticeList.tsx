import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { Button } from "./Button";
import { type Notice, useNotices } from "./notices";

const SHOWN_MS = 7000; // what is only told; what is to be done about something stays longer
const TO_DO_MS = 25_000;

/** Notices above the foot of the window, read aloud as they come; they go by themselves, unless they are looked at. */
export function NoticeList() {
  const { notices, dismiss } = useNotices();
  return (
    <chakra.div
      role="alert"
      position="fixed"
      left="50%"
      bottom="62px" // the views of the table stay in reach
      transform="translateX(-50%)"
      zIndex={60}
      display="grid"
      gap="8px"
      width="min(560px, 90vw)"
    >
      {notices.map((notice) => (
        <OneNotice key={notice.id} notice={notice} onGone={() => dismiss(notice.id)} />
      ))}
    </chakra.div>
  );
}

function OneNotice({ notice, onGone }: { notice: Notice; onGone: () => void }) {
  const [looked, setLooked] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: time runs anew when it is no longer looked at only
  useEffect(() => {
    if (looked) return;
    const timer = setTimeout(onGone, notice.whatToDo ? TO_DO_MS : SHOWN_MS);
    return () => clearTimeout(timer);
  }, [looked, notice]);
  return (
    <chakra.div
      display="flex"
      gap="12px"
      alignItems="flex-start"
      padding="10px 14px"
      background="marigold.note"
      border="1px solid {colors.marigold}"
      borderRadius="card"
      boxShadow="0 6px 18px rgba(30,42,46,.2)"
      onPointerEnter={() => setLooked(true)}
      onPointerLeave={() => setLooked(false)}
      onFocus={() => setLooked(true)}
      onBlur={() => setLooked(false)}
    >
      <chakra.div flex="1">
        <b>{notice.message}</b> {notice.whatToDo}
      </chakra.div>
      <Button type="button" onClick={onGone}>
        Noted
      </Button>
    </chakra.div>
  );
}
