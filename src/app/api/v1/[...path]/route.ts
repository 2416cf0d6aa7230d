import { type ApiParams, answered } from "@/app/_lib/api";
import { tokenRoute } from "@/app/_lib/guard";

export const dynamic = "force-dynamic";

export const GET = tokenRoute<ApiParams>("apiGet", "read", answered);
export const POST = tokenRoute<ApiParams>("apiPost", "facts", answered);
