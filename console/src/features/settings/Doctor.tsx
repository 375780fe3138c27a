// How every part of the hub is, and what to do.
import { Check as Sound } from "lucide-react";
import { useDoctor } from "../../api/queries";
import { Await, Button, Mark } from "../../ui/parts";
import { visible } from "../../ui/visible";

export function Doctor() {
  const doctor = useDoctor();
  return (
    <section aria-labelledby="doctor">
      <div className="mb-3 flex items-baseline justify-between">
        <h2 id="doctor" className="text-xl">
          Health check
        </h2>
        <Button onClick={() => void doctor.refetch()} disabled={doctor.isFetching}>
          Check again
        </Button>
      </div>
      <Await of={doctor} lines={6}>
        {(found) => (
          <ul className="rule border-b">
            {found.map((one) => (
              <li key={one.part} className="rule border-t py-1.5">
                <div className="flex flex-wrap justify-between gap-x-4">
                  <span className="font-medium">
                    {one.state === "ok" ? (
                      <span className="inline-flex items-center gap-1">
                        <Sound aria-label="in order" className="size-4 text-act" /> {one.part}
                      </span>
                    ) : (
                      <Mark grave={one.state === "fault"}>{one.part}</Mark>
                    )}
                  </span>
                  <span className="text-right">{visible(one.text)}</span>
                </div>
                {one.advice && <div className="text-faint text-sm">{one.advice}</div>}
              </li>
            ))}
          </ul>
        )}
      </Await>
    </section>
  );
}
