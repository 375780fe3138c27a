// A scene that is recalled with one press, and what did not answer.
import * as changes from "../../api/changes";
import { useScenes } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Mark } from "../../ui/parts";
import { visible } from "../../ui/visible";

export function SceneButton({ scene }: { scene: string }) {
  const scenes = useScenes();
  const found = scenes.data?.find((one) => one.scene === scene);
  const recall = useChange({ mutationFn: () => changes.recallScene(scene) });
  const spoken = (address: string) =>
    found?.states.find((one) => one.entity === address)?.spoken ?? address;
  const failed = [
    ...(recall.data?.commands ?? [])
      .filter((one) => one.state !== "confirmed")
      .map((one) => spoken(one.entity)),
    ...(recall.data?.gone ?? []),
  ];
  if (scenes.data && !found)
    return <p className="text-faint">The scene {visible(scene)} is not there any more.</p>;
  return (
    <div className="flex grow flex-col items-start justify-between gap-2">
      <Button
        look="main"
        disabled={recall.isPending || !found}
        onClick={() => recall.mutate()}
        className="wrap-anywhere"
      >
        {visible(found?.title ?? scene)}
      </Button>
      <p aria-live="polite" className="text-faint text-sm">
        {recall.isPending && "recalling …"}
        {recall.isSuccess && failed.length === 0 && "recalled"}
      </p>
      {failed.length > 0 && (
        <Mark>not confirmed: {failed.map((one) => visible(one)).join(", ")}</Mark>
      )}
      {recall.error && <Mark grave>{recall.error.message}</Mark>}
    </div>
  );
}
