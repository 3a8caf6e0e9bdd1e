package bargelane.service.assess;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** Rules of fitness of the house. */
@Entity
@Table(name = "fitness_rules")
public class FitnessRulesEntity {

  @Id public String name;

  public String yaml;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;
}
