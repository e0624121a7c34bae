/** A page as a client sees it; nothing in it runs or leads anywhere. */
export function PagePreview({ name, text }: { name: string; text: string }) {
  return <iframe title={`Preview of page ${name}`} sandbox="" srcDoc={text} className="h-56 w-full bg-white" />;
}
