import { Component, type ReactNode } from 'react';
import { useNavigate, useRouteError, useLocation } from 'react-router';
import { Button, Notice } from './controls';

const wordsOf = (e: unknown) => (e instanceof Error ? e.message : String(e));

/** What is shown of a part of the page that failed; the rest goes on. */
function Failed({ what, error, onAgain }: { what: string; error: unknown; onAgain: () => void }) {
  return (
    <div className="flex flex-col items-start gap-2 p-4">
      <Notice>
        {`${what} cannot be shown: ${wordsOf(error)}. It is a fault of the program; orders and account are not touched by it.`}
      </Notice>
      <Button onClick={onAgain}>Show it again</Button>
    </div>
  );
}

type Props = { what: string; children: ReactNode };
/** A part of the page whose fault stays its own. */
export class Fault extends Component<Props, { error?: unknown }> {
  override state: { error?: unknown } = {};
  static getDerivedStateFromError(error: unknown) {
    return { error };
  }
  override render() {
    return this.state.error === undefined ? (
      this.props.children
    ) : (
      <Failed
        what={this.props.what}
        error={this.state.error}
        onAgain={() => {
          this.setState({ error: undefined });
        }}
      />
    );
  }
}

/** A view that failed, or whose script could not be read. */
export function ViewFault() {
  const error = useRouteError();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  return (
    <Failed
      what="This view"
      error={error}
      onAgain={() => {
        void navigate(pathname, { replace: true });
      }}
    />
  );
}
