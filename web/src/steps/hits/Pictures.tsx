import type { ComponentProps } from "react";
import type { HitView, Layer } from "../../api/types";
import { Spectrum } from "../../plots/Spectrum";
import { LayerStack } from "./LayerStack";
import { useLivePicture } from "./useLivePicture";

interface Props extends Omit<ComponentProps<typeof LayerStack>, "picture" | "view" | "selected"> {
  view: HitView;
  known: boolean;
  current: boolean;
  layer: Layer | undefined;
}

/** Layers and spectrum as they are now: drawn anew with every picture, apart from the controls beneath. */
export function Pictures({ view, known, current, layer, ...stack }: Props) {
  const live = useLivePicture({ hitId: stack.one.id, shown: stack.shown, known, current });
  const picture = live ?? view.picture;
  const drawn = picture.layers.find((each) => each.id === layer?.id);
  return (
    <>
      <LayerStack {...stack} view={view} picture={picture} selected={layer?.id} />
      <Spectrum
        centresHz={picture.centres_hz}
        zones={picture.zones}
        sum={picture.sum.bands_db}
        layer={layer && drawn ? { name: layer.name, bandsDb: drawn.bands_db } : null}
      />
    </>
  );
}
