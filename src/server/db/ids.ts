/**
 * The id of a row of one table. A plain number passes, as it comes from an address or a form; the id of another table's
 * row does not compile.
 */
type Id<Table extends string> = number & { readonly of?: Table };

export type ArrivalId = Id<"arrival">;
export type AuditId = Id<"audit">;
export type BatchId = Id<"batch">;
export type BenchHostId = Id<"benchHost">;
export type BenchJobId = Id<"benchJob">;
export type BerthId = Id<"berth">;
export type CalloutId = Id<"callout">;
export type ComputerId = Id<"computer">;
export type CoverPlanId = Id<"coverPlan">;
export type CoverTaskId = Id<"coverTask">;
export type DeviceId = Id<"device">;
export type DiskId = Id<"disk">;
export type DrillId = Id<"drill">;
export type EventId = Id<"event">;
export type ImageId = Id<"image">;
export type ImageCopyId = Id<"imageCopy">;
export type ImportId = Id<"import">;
export type InspectionId = Id<"inspection">;
export type JobId = Id<"job">;
export type KeyCardId = Id<"keyCard">;
export type KitId = Id<"kit">;
export type LoadId = Id<"load">;
export type LoanId = Id<"loan">;
export type MediumId = Id<"medium">;
export type NotedChangeId = Id<"notedChange">;
export type PersonId = Id<"person">;
export type PlannedDrillId = Id<"plannedDrill">;
export type RehearsalId = Id<"rehearsal">;
export type ReleaseId = Id<"release">;
export type ReportedChangeId = Id<"reportedChange">;
export type SavedViewId = Id<"savedView">;
export type ScanId = Id<"scan">;
export type SignerId = Id<"signer">;
export type SiteId = Id<"site">;
export type SnoozeId = Id<"snooze">;
export type StoreId = Id<"store">;
export type TokenId = Id<"token">;
export type UploadId = Id<"upload">;
