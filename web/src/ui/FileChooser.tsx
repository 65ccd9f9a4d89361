import type { RefObject } from "react";

interface Props {
  chooser: RefObject<HTMLInputElement | null>;
  accept: string;
  testId: string;
  multiple?: boolean;
  /** At least one. */
  onFiles: (files: File[]) => void;
}

/** What the browser asks for files with; a key of ours opens it. The same file may be chosen twice in a row. */
export function FileChooser({ chooser, accept, testId, multiple, onFiles }: Props) {
  return (
    <input
      ref={chooser}
      type="file"
      accept={accept}
      multiple={multiple}
      hidden
      data-testid={testId}
      onChange={(event) => {
        const files = [...(event.target.files ?? [])];
        event.target.value = "";
        if (files.length) onFiles(files);
      }}
    />
  );
}
