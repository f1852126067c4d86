import { Slider } from "@chakra-ui/react";

interface Props {
  /** A name for each thumb. */
  labels: string[];
  value: number[];
  /** Where it begins: at 0 where left out. */
  least?: number;
  most: number;
  step: number;
  set: (value: number[]) => void;
}

/** A slider of the view, with one thumb or two. */
export const Slide = ({ labels, value, least = 0, most, step, set }: Props) => (
  <Slider.Root
    flex="1"
    size="sm"
    min={least}
    max={most}
    step={step}
    value={value}
    aria-label={labels}
    onValueChange={(change) => set(change.value)}
  >
    <Slider.Control>
      <Slider.Track>
        <Slider.Range bg="ochre" />
      </Slider.Track>
      <Slider.Thumbs />
    </Slider.Control>
  </Slider.Root>
);
