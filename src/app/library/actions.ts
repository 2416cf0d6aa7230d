"use server";

import { removeLibraryFile } from "@/server/bench/uploads";
import { action, word } from "../_lib/guard";

export const removeLibraryFileAction = action("removeLibraryFile", "lead", [word], removeLibraryFile);
