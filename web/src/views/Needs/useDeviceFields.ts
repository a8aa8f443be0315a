/** Writing the fields of one device. */
import type { Device } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { useDevices } from "./useDevices";

/** A field that may be left out: gone where nothing is given. */
export function optional<T extends object, K extends keyof T>(place: T, key: K, value: T[K] | null | "") {
  if (value === null || value === "") Reflect.deleteProperty(place, key);
  else place[key] = value as T[K];
}

export function useDeviceFields(props: { device: Device }) {
  const { change } = useDevices();
  const { refusedAt } = useEdits();
  const field = (name: string) => `${props.device.id}.${name}`;
  const set = (name: string, how: (device: Device) => void) => change(props.device.id, field(name), how);
  const refused = (name: string) => refusedAt(field(name));
  return { set, refused };
}
