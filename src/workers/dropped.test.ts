import { folderOf } from "./dropped";

const file = (name: string, path?: string, relative = "") =>
  Object.defineProperties(new File(["12345"], name), {
    ...(path === undefined ? {} : { path: { value: path } }),
    webkitRelativePath: { value: relative },
  });
const told = (files: File[]) => {
  const folder = folderOf(files);
  return folder && [folder.name, folder.size, folder.files.map(({ path }) => path)];
};

test("a drive that was chosen or dropped is its files, without its own name", () => {
  const chosen = [file("a.efi", undefined, "KIT/EFI/BOOT/a.efi"), file("b.txt", undefined, "KIT/b.txt")];
  expect(told(chosen)).toEqual(["KIT", 10, ["EFI/BOOT/a.efi", "b.txt"]]);
  expect(told([file("a.efi", "/KIT/EFI/a.efi"), file("b.txt", "/KIT/b.txt")])).toEqual([
    "KIT",
    10,
    ["EFI/a.efi", "b.txt"],
  ]);
});

test("what was picked from the top of a drive keeps its paths, and its folder for start files", () => {
  expect(told([file("a.efi", "/EFI/BOOT/a.efi"), file("b.txt", "./b.txt")])).toEqual([
    "Drive",
    10,
    ["EFI/BOOT/a.efi", "b.txt"],
  ]);
  expect(told([file("a.efi", "/EFI/BOOT/a.efi")])).toEqual(["Drive", 5, ["EFI/BOOT/a.efi"]]);
});

test("files by themselves are no folder", () => {
  expect(told([file("kit.iso", "./kit.iso")])).toBeNull();
  expect(told([file("kit.iso")])).toBeNull();
  expect(told([])).toBeNull();
});
