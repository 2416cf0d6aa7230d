/** What went wrong, in a sentence, said aloud by screen readers. `boxed`: it stands for a whole form. */
export function ProblemLine({
  text,
  boxed = false,
  className = "",
}: {
  text: string | null | undefined;
  boxed?: boolean;
  className?: string;
}) {
  if (!text) return null;
  const look = boxed ? "border-plum border-l-4 bg-plum-soft px-3 py-2" : "text-plum";
  return (
    <p role="alert" className={`${look} ${className}`.trim()}>
      {text}
    </p>
  );
}
