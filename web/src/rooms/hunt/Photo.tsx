import { useRef } from "react";
import { Button } from "../../kit";

const LONGEST = 1600;

/** A picture from the phone's camera, made small here so that it goes through a thin connection. */
export function Photo({ onPicture }: { onPicture: (picture: Blob) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        accept="image/*"
        capture="environment"
        className="sr-only"
        aria-label="Photo"
        tabIndex={-1}
        onChange={async (event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) onPicture(await small(file));
        }}
      />
      <Button className="max-sm:min-h-12" onClick={() => input.current?.click()}>
        Photo
      </Button>
    </>
  );
}

/** The picture at most 1600 pixels long, as JPEG; as it is where the browser cannot read it. */
async function small(file: Blob): Promise<Blob> {
  try {
    const picture = await createImageBitmap(file);
    const scale = Math.min(1, LONGEST / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    canvas.width = Math.round(picture.width * scale);
    canvas.height = Math.round(picture.height * scale);
    canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
    return await new Promise((done) => canvas.toBlob((made) => done(made ?? file), "image/jpeg", 0.8));
  } catch {
    return file;
  }
}
