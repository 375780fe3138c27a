// Where the QR code on a node leads: the page that lets this one node in, with its code
// filled in.
import { useNavigate, useSearchParams } from "react-router";
import { useArrivals } from "../../api/queries";
import { Await, Page } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { AdmitForm } from "./Admit";
import { Window } from "./Pairing";

export function AdmitPage() {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const arrivals = useArrivals();
  const thing = params.get("thing") ?? "";
  return (
    <Await of={arrivals}>
      {(all) => {
        const arrival = all.find((one) => one.thing === thing);
        return arrival ? (
          <Page title={`Let ${visible(arrival.title)} in`}>
            <div className="max-w-3xl">
              <AdmitForm
                arrival={arrival}
                code={params.get("code") ?? ""}
                done={(node) =>
                  void navigate(node.room ? `/rooms/${node.room}` : `/nodes/${node.node}`)
                }
              />
            </div>
          </Page>
        ) : (
          <Page title="Waiting for the node">
            <p className="mb-5 max-w-prose">
              The node with this code does not ask to join yet. Open pairing, then hold its button
              until it blinks; it appears here by itself.
            </p>
            <div className="rule max-w-3xl border bg-sheet p-5">
              <Window />
            </div>
            <p className="mt-4 break-all text-faint text-sm">
              {thing || "The address names no node."}
            </p>
          </Page>
        );
      }}
    </Await>
  );
}
