import { Checkbox } from "@chakra-ui/react";

/** A tick with words beside it. */
export const Tick = ({
  label,
  on,
  set,
  disabled = false,
}: {
  label: string;
  on: boolean;
  set: (on: boolean) => void;
  disabled?: boolean;
}) => (
  <Checkbox.Root
    size="sm"
    checked={on}
    disabled={disabled}
    onCheckedChange={(change) => set(change.checked === true)}
  >
    <Checkbox.HiddenInput />
    <Checkbox.Control />
    <Checkbox.Label fontSize="12.5px">{label}</Checkbox.Label>
  </Checkbox.Root>
);
