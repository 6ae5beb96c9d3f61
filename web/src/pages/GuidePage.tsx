import { useQuery } from "@tanstack/react-query";
import { Link } from "wouter";

import { api, data, type GuidePage as Page, type GuideText } from "../api/client";
import { PageHeader } from "../ui/PageHeader";

/** A page of the guide, with the way to the others. */
export function GuidePage({ name }: { name: string }) {
  const pages = useQuery({ queryKey: ["guide"], queryFn: () => data<Page[]>(api.GET("/api/guide")) });
  const text = useQuery({
    queryKey: ["guide", name],
    queryFn: () => data<GuideText>(api.GET("/api/guide/pages/{name}", { params: { path: { name } } })),
  });
  return (
    <div className="flex h-full flex-col">
      <PageHeader title="Guide" />
      <div className="grid min-h-0 flex-1 grid-cols-[220px_minmax(0,1fr)]">
        <nav className="overflow-y-auto border-r border-line px-4 py-6" aria-label="Pages of the guide">
          {(pages.data ?? []).map((page) => (
            <Link
              key={page.name}
              href={`/guide/${page.name}`}
              aria-current={page.name === name ? "page" : undefined}
              className={`mb-1 block rounded-md px-3 py-1.5 ${page.name === name ? "bg-teal-soft font-medium text-teal" : "hover:bg-cloth-sunk"}`}
            >
              {page.title}
            </Link>
          ))}
        </nav>
        <main className="overflow-y-auto px-10 py-8">
          {text.error && <p>{text.error.message}</p>}
          {text.data && (
            <article
              className="guide max-w-[720px]"
              // The text is one of our own documents, written by the server without any HTML of theirs.
              dangerouslySetInnerHTML={{ __html: text.data.html }}
            />
          )}
        </main>
      </div>
    </div>
  );
}
