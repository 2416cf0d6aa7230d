import Link from "next/link";

export default function NotFound() {
  return (
    <div className="max-w-xl">
      <h1>There is nothing under this address.</h1>
      <p className="mt-2">
        It may have been given another tag. Look for it with the field above, or go to{" "}
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
