export function Heading({ children }: { children: string }) {
  return <h2 className="mt-3.5 mb-1 first:mt-0">{children}</h2>;
}
