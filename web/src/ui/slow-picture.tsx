import { useEffect, useRef, useState } from 'react';
import { Turns } from './turns';

/** A browser has some six connections to a server. Pictures that are rendered when asked for hold theirs for long: two
 * at a time leave the others to what is done meanwhile. */
const turns = new Turns(2);

/** A picture that the server takes its time for. `first`: before all others that wait. */
export function SlowPicture({
  src,
  alt,
  className,
  first = false,
}: {
  src: string;
  alt: string;
  className: string;
  first?: boolean;
}) {
  const image = useRef<HTMLImageElement>(null);
  const end = useRef(() => {});
  const [asked, setAsked] = useState<string>();
  useEffect(() => {
    const element = image.current;
    end.current = turns.take(() => setAsked(src), first);
    return () => {
      end.current();
      if (element && !element.isConnected) element.removeAttribute('src'); // nobody waits for it any more
    };
  }, [src, first]);
  return (
    <img
      ref={image}
      src={asked}
      alt={alt}
      className={className}
      onLoad={() => end.current()}
      onError={() => end.current()}
    />
  );
}
