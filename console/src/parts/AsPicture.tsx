// The chart as a file: PNG or SVG.
import { useState } from "react";
import { Failure } from "../ui/parts";
import { download } from "./picture";
import type { Course } from "./plot";

export function AsPicture({ courses, title }: { courses: Course[]; title: string }) {
  const [error, setError] = useState<Error | null>(null);
  const keep = (as: "png" | "svg") =>
    download(courses, title, as).then(
      () => setError(null),
      (why) => setError(why as Error),
    );
  const look = "text-act underline pointer-coarse:min-h-11";
  return (
    <>
      <button type="button" className={look} onClick={() => void keep("png")}>
        PNG
      </button>{" "}
      or{" "}
      <button type="button" className={look} onClick={() => void keep("svg")}>
        SVG
      </button>
      {error && <Failure error={error} />}
    </>
  );
}
