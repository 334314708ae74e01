import { ApiError } from '../../api/client';
import { toast } from '../../ui/toasts';

/** Say what went wrong, with the bound that the server named. */
export function tell(error: unknown) {
  if (error instanceof ApiError) {
    const { detail, bound } = error.problem;
    toast(bound && !detail.includes(bound) ? `${detail} (${bound})` : detail, 'wrong');
  } else toast(String(error), 'wrong');
}
