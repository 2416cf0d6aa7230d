import { FileStore } from "@tus/file-store";
import { Server } from "@tus/server";
import { type Asked, problemResponse, route } from "@/app/_lib/guard";
import {
  cancelUpload,
  giveUpOldUploads,
  mayUpload,
  noteUpload,
  uploadArrived,
  uploadWishSchema,
} from "@/server/bench/uploads";
import { uploadsFolder } from "@/server/host/folders";

export const dynamic = "force-dynamic";

const PATH = "/api/library";
/** What one request carries at most; a larger file comes in several. */
const AT_ONCE_BYTES = 1 << 30;

let made: Server | null = null;

/** Resumable uploads (tus 1.0): what has arrived of a file lies in a folder, under a name that nobody can guess. */
function server(): Server {
  made ??= new Server({
    path: PATH,
    datastore: new FileStore({ directory: uploadsFolder() }),
    relativeLocation: true,
    respectForwardedHeaders: false,
  });
  return made;
}

type Params = { key?: string[] };

/** What the protocol's header of metadata says: pairs of a name and Base64, divided by commas. */
function metadataOf(header: string | null): Record<string, string> {
  const pairs = (header ?? "").split(",").map((pair) => pair.trim().split(" "));
  return Object.fromEntries(
    pairs.map(([name = "", value = ""]) => [name, Buffer.from(value, "base64").toString("utf8").slice(0, 400)]),
  );
}

/** Begins an upload: of what, how large, and whether there is room is said before anything is sent. */
export const POST = route<Params>("beginUpload", "technician", async ({ request, context }) => {
  const told = metadataOf(request.headers.get("upload-metadata"));
  const bytes = Number(request.headers.get("upload-length") ?? Number.NaN);
  const wish = uploadWishSchema.safeParse({ ...told, bytes });
  if (!wish.success || request.headers.get("upload-concat") !== null)
    return problemResponse({ code: "refused", why: { code: "malformed" } });
  const may = await mayUpload(context, wish.data);
  if (!may.ok) return problemResponse(may.problem);
  if (may.value.isThere)
    return Response.json({ problem: `${may.value.name} is in the library already.` }, { status: 409 });
  await giveUpOldUploads(context);
  const response = await server().handleWeb(request);
  const key = response.headers.get("location")?.split("/").at(-1);
  if (response.status === 201 && key) {
    const noted = await noteUpload(context, key, may.value.name, wish.data);
    if (!noted.ok) return problemResponse(noted.problem);
  }
  return response;
});

async function passedOn({ request, context, params }: Asked<Params>): Promise<Response> {
  if (Number(request.headers.get("content-length") ?? 0) > AT_ONCE_BYTES)
    return problemResponse({ code: "refused", why: { code: "body-too-large", most: AT_ONCE_BYTES } });
  const response = await server().handleWeb(request);
  // The last part of it, or somebody who asks how far it was, when the server had died before it could look.
  const offset = response.headers.get("upload-offset");
  const key = params.key?.[0];
  if (key && offset !== null && response.status < 300) {
    const length = await server()
      .datastore.getUpload(key)
      .then(({ size }) => size)
      .catch(() => null);
    if (length !== null && Number(offset) === length) await uploadArrived(context, key);
  }
  return response;
}

export const HEAD = route<Params>("askUpload", "technician", passedOn, { isWritten: false });
export const PATCH = route<Params>("continueUpload", "technician", passedOn, { isWritten: false });

export const DELETE = route<Params>("cancelUpload", "technician", async ({ context, params }) => {
  const cancelled = await cancelUpload(context, params.key?.[0] ?? "");
  return cancelled.ok ? new Response(null, { status: 204 }) : problemResponse(cancelled.problem);
});
