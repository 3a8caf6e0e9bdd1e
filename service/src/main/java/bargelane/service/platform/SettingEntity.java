package bargelane.service.platform;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** A setting of this installation. */
@Entity
@Table(name = "setting")
public class SettingEntity {

  @Id public String name;

  public String value;
}
