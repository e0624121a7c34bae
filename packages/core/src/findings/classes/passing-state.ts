import { State } from '../../decide/state.js';

/** Limits and holds may or may not stop a request: here they do not. */
export class PassingState extends State {
  override count(...given: Parameters<State['count']>): ReturnType<State['count']> {
    return { ...super.count(...given), isTripped: false };
  }

  override passesHold(): boolean {
    return true;
  }
}
