"use client";

export default function Failed({ reset }: { error: Error; reset: () => void }) {
  return (
    <div role="alert" className="max-w-xl">
      <h1>This page could not be loaded.</h1>
      <p className="mt-2">Nothing was changed. The database may be restarting; the server log has the details.</p>
      <button type="button" className="act mt-4" onClick={reset}>
        Try again
      </button>
    </div>
  );
}
