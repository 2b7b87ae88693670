import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, ask } from "@/api/client";
import { Empty, inputLook, Loading, Trouble } from "@/ui/basics";
import { moment } from "@/ui/format";
import { TYPING_RESTS_MS, useRested } from "@/ui/rested";
import { useTitle } from "@/ui/title";
import { PaperLine } from "./PaperLine";

const SHOWN = 100;

/** Every certificate of a check, the newest first, found by number, recorder or check. */
export default function CertificatesPage() {
  const [params, setParams] = useSearchParams();
  const words = params.get("find") ?? "";
  const rested = useRested(words, TYPING_RESTS_MS);
  useTitle("Certificates");
  const found = useQuery({
    queryKey: ["bench", "certificates", rested],
    queryFn: () => ask(api.GET("/api/certificates", { params: { query: { words: rested } } })),
    placeholderData: keepPreviousData,
  });
  if (found.isError && !found.data)
    return <Trouble view="Certificates" error={found.error} again={() => found.refetch()} />;
  if (!found.data) return <Loading view="Certificates" what="the certificates" />;
  const papers = found.data.certificates;
  return (
    <main className="mx-auto h-full w-full max-w-4xl overflow-auto px-5 py-[18px]">
      <header className="flex flex-wrap items-center gap-x-3 gap-y-2 pb-3">
        <h1>Certificates</h1>
        <span className="text-soft">
          {papers.length < SHOWN ? papers.length : `the newest ${SHOWN}`}
          {words ? " of these words" : ""}
        </span>
        <Link to="/bench" className="text-act hover:underline">
          Check bench
        </Link>
        <span className="ml-auto w-72">
          <input
            type="search"
            className={inputLook}
            aria-label="Find a certificate"
            placeholder="number, recorder or check"
            value={words}
            onChange={(event) => setParams(event.target.value ? { find: event.target.value } : {}, { replace: true })}
          />
        </span>
      </header>
      {papers.length === 0 && <Empty title={words ? "No certificate of these words" : "No certificate yet"} />}
      <ul aria-label="Certificates" className="text-[13.5px]">
        {papers.map((paper) => (
          <li key={paper.id} className="flex items-center gap-3 border-hair border-t py-1.5">
            <span className="w-32 text-soft">{moment(paper.made_at)}</span>
            <PaperLine paper={paper} />
          </li>
        ))}
      </ul>
    </main>
  );
}
