import { z } from "zod";

/** A volume's name in stored forms; see `VolumeId`. */
export const volumeIdSchema = z.union([z.number().int(), z.string()]);
