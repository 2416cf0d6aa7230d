export default function Loading() {
  return (
    <p role="status" className="text-quiet">
      Reading the inventory …
    </p>
  );
}
