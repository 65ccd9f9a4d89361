/** Files in one archive, of which never more than a piece is in memory: what is packed is left to the browser. */
import { Zip, ZipDeflate, type ZipInputFile, ZipPassThrough } from "fflate";

/** The same bytes for the same files. */
const MADE_AT = new Date(1980, 0, 1);

export class Packing {
  private readonly pieces: Blob[] = [];
  private readonly names = new Set<string>();
  private readonly zip = new Zip((error, piece) => {
    if (error) throw error;
    this.pieces.push(new Blob([piece as BlobPart]));
  });

  /** Another file; one of the same name is there already. `asItIs`: it would not get smaller. */
  async add(name: string, blob: Blob, asItIs = false): Promise<void> {
    if (this.names.has(name)) return;
    this.names.add(name);
    const file: ZipInputFile & { push(piece: Uint8Array, isLast?: boolean): void } = asItIs
      ? new ZipPassThrough(name)
      : new ZipDeflate(name, { level: 6 });
    file.mtime = MADE_AT;
    this.zip.add(file);
    const reader = blob.stream().getReader();
    for (;;) {
      const { value, done } = await reader.read();
      if (done) break;
      file.push(value);
    }
    file.push(new Uint8Array(0), true);
  }

  /** The archive. */
  done(): Blob {
    this.zip.end();
    return new Blob(this.pieces, { type: "application/zip" });
  }
}
