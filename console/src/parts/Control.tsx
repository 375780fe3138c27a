// What an entity is changed with, wherever it is shown: by its kind, else by how its
// values are drawn.
import type { ComponentType } from "react";
import type { Entity } from "../api/client";
import { ChoiceControl } from "./ChoiceControl";
import { LevelControl, PositionControl } from "./LevelControl";
import { LockControl } from "./LockControl";
import { SwitchControl } from "./SwitchControl";
import { TargetControl } from "./TargetControl";

type OfEntity = ComponentType<{ entity: Entity }>;

const BY_KIND: Record<string, OfEntity> = {
  switch: SwitchControl,
  level: LevelControl,
  position: PositionControl,
  tilt: LevelControl,
  hue: LevelControl,
  saturation: LevelControl,
  white: LevelControl,
  lock: LockControl,
};
const DRAWN: Record<Entity["drawn"], OfEntity | null> = {
  line: TargetControl,
  states: ChoiceControl,
  needle: TargetControl,
  marks: null,
};

export function Control({ entity }: { entity: Entity }) {
  const Of = entity.writable ? (BY_KIND[entity.kind] ?? DRAWN[entity.drawn]) : null;
  return Of && <Of entity={entity} />;
}
