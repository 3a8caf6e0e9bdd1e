package bargelane.core.wave;

import bargelane.core.word.Worded;
import java.util.Locale;

/** What became of an approval that was asked for. */
public enum ApprovalState implements Worded {
  /** Nobody has answered. */
  OPEN,
  APPROVED,
  DECLINED,
  /** Whoever asked for it took it back. */
  WITHDRAWN,
  /** What was asked for, approved or not, is not what is planned any more. */
  LAPSED;

  @Override
  public String word() {
    return name().toLowerCase(Locale.ROOT);
  }
}
