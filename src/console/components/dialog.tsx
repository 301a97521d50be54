import { CloseButton, Modal } from '@mantine/core';
import type { ReactNode } from 'react';

interface Props {
  /** What is done when it is sent off. */
  send: () => void;
  opened: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
}

/**
 * A form that is filled in before the page behind it goes on. Its head is no header of the page, of which there is one.
 */
export function FormDialog({ opened, onClose, title, send, children }: Props) {
  return (
    <Modal opened={opened} onClose={onClose} withCloseButton={false}>
      <div className="row apart" style={{ marginBottom: 12 }}>
        <Modal.Title>{title}</Modal.Title>
        <CloseButton aria-label="Close" onClick={onClose} />
      </div>
      <form
        className="stack"
        onSubmit={(event) => {
          event.preventDefault();
          send();
        }}
      >
        {children}
      </form>
    </Modal>
  );
}
