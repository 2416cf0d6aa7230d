/** A secret that is shown now, and kept nowhere that it could be shown from again. */
export function SecretOnce({ text, secret }: { text: string; secret: string }) {
  return (
    <div role="status" className="mt-2 max-w-md border-rope border-l-4 pl-2 text-[0.85rem]">
      <p>{text}</p>
      <p className="code break-all">{secret}</p>
    </div>
  );
}
