import { useCallback, useRef, useState } from "react";

const KEPT = 24;

/** Pictures by address, loaded when first asked for; asking again after loading gives the picture. */
export function useImages(): { images: (url: string) => HTMLImageElement | null; loaded: number } {
  const [loaded, setLoaded] = useState(0);
  const known = useRef(new Map<string, HTMLImageElement>());
  const images = useCallback((url: string) => {
    if (!url) return null;
    let image = known.current.get(url);
    if (!image) {
      image = new Image();
      image.onload = () => setLoaded((count) => count + 1);
      image.src = url;
      known.current.set(url, image);
      if (known.current.size > KEPT) known.current.delete(known.current.keys().next().value as string);
    }
    return image.complete && image.naturalWidth > 0 ? image : null;
  }, []);
  return { images, loaded };
}
