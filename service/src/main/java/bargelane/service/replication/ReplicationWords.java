package bargelane.service.replication;

import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.replication.Verification;
import bargelane.service.platform.WordColumn;

/** How states and kinds of legs and passes are stored. */
final class ReplicationWords {

  private ReplicationWords() {}

  static final class OfLeg extends WordColumn<LegState> {
    OfLeg() {
      super(LegState.class);
    }
  }

  static final class OfDirection extends WordColumn<Direction> {
    OfDirection() {
      super(Direction.class);
    }
  }

  static final class OfPass extends WordColumn<PassState> {
    OfPass() {
      super(PassState.class);
    }
  }

  static final class OfVerification extends WordColumn<Verification> {
    OfVerification() {
      super(Verification.class);
    }
  }

  static final class OfKind extends WordColumn<PassKind> {
    OfKind() {
      super(PassKind.class);
    }
  }
}
