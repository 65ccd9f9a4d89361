import { expect, it } from "vitest";
import { nameIn } from "./download";

it("reads the name that a file is to have", () => {
  expect(nameIn('attachment; filename="The fog signal.mid"')).toBe("The fog signal.mid");
  expect(nameIn('attachment; filename="a \\"loud\\" one.mid"')).toBe('a "loud" one.mid');
  expect(nameIn("attachment; filename*=utf-8''B%C3%A4sse.mid")).toBe("Bässe.mid");
  expect(nameIn("attachment")).toBeNull();
});
