import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { moment } from "../../parts/words";

interface Props {
  paper: string;
  notices: Schemas["Notice"][];
}

/** What instructors say to all who work on a paper. What one has not read yet stays in sight. */
export function Notices({ paper, notices }: Props) {
  const key = `read ${paper}`;
  const [read, setRead] = useState(() => Number(localStorage.getItem(key) ?? 0));
  if (notices.length === 0) return null;
  const unread = notices.filter((notice) => Number(notice.id) > read);
  function markRead() {
    const last = Math.max(...notices.map((notice) => Number(notice.id)));
    localStorage.setItem(key, String(last));
    setRead(last);
  }
  return (
    <>
      <details className="strip notices">
        <summary>{notices.length === 1 ? "A word to all" : `${notices.length} words to all`}</summary>
        <Said notices={notices} />
      </details>
      <div className="notice-band" role="alert" hidden={unread.length === 0}>
        <Said notices={unread} />
        <Button size="small" onClick={markRead}>
          I have read it
        </Button>
      </div>
    </>
  );
}

function Said({ notices }: { notices: Schemas["Notice"][] }) {
  return (
    <ul>
      {notices.map((notice) => (
        <li key={notice.id}>
          <strong>
            {notice.by}, {moment(notice.at)}:
          </strong>{" "}
          {notice.text}
        </li>
      ))}
    </ul>
  );
}
