package bargelane.service.machine;

import bargelane.service.run.Outcome;
import bargelane.service.run.Work;
import java.util.Optional;

/** A scan's first step at sites whose machines are read from inside. */
public interface InventoryReading {

  /** Reads the inventory; none where a site of this kind is read by its platform. */
  Optional<Outcome> scan(Work work);
}
