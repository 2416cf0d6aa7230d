import Link from "next/link";

export default function NotFound() {
  return (
    <div className="max-w-xl">
      <h1>No such page.</h1>
      <p className="mt-2">
        Its tag may have changed. Search above, or go to{" "}
        <Link prefetch={false} className="link" href="/computers">
          computers
        </Link>{" "}
        or{" "}
        <Link prefetch={false} className="link" href="/media">
          media
        </Link>
        .
      </p>
    </div>
  );
}
