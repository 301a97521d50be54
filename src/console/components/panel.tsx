import { Popover, type PopoverProps } from '@mantine/core';
import { useEffect, useRef, type ReactNode } from 'react';

interface Props extends Pick<PopoverProps, 'position'> {
  opened: boolean;
  /** Closes it; the focus goes back to where it came from. */
  close: () => void;
  width: number;
  label: string;
  target: ReactNode;
  children: ReactNode;
}

/**
 * What opens beside a control: it takes the focus, gives it back, and Escape closes it. On a phone it is as wide as the
 * page.
 */
export function Panel({ opened, close, width, label, target, position, children }: Props) {
  return (
    <Popover
      opened={opened}
      onChange={(open) => !open && close()}
      position={position}
      width={`min(${width}px, calc(100vw - 24px))`}
      trapFocus={false}
      middlewares={{ shift: { padding: 12 }, flip: true }}
    >
      <Popover.Target>{target}</Popover.Target>
      <Popover.Dropdown>
        {opened ? (
          <Inside label={label} close={close}>
            {children}
          </Inside>
        ) : null}
      </Popover.Dropdown>
    </Popover>
  );
}

function Inside({ label, close, children }: { label: string; close: () => void; children: ReactNode }) {
  const here = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const came = document.activeElement;
    here.current?.focus();
    return () => {
      // Whoever has gone on to something else meanwhile is left there.
      if (came instanceof HTMLElement && (document.activeElement === document.body || document.activeElement === null))
        came.focus();
    };
  }, []);
  return (
    <div
      ref={here}
      role="dialog"
      aria-label={label}
      tabIndex={-1}
      className="panel"
      onKeyDown={(event) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        close();
      }}
    >
      {children}
    </div>
  );
}
